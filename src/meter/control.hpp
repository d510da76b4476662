// Commands from other programs: JSON objects, a line each, on a Unix socket.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <string_view>

#include "base/line_server.hpp"
#include "meter/loop.hpp"

namespace idlemeter::meter {

/// One thread at a time, the loop's; the loop must outlive it.
class Control {
 public:
  /// Takes the answer to a command, now or later; ignored if the client has gone.
  using Answer = std::function<void(const std::string&)>;
  using Obey = std::function<void(std::string_view line, Answer answer)>;

  /// Listens, and hands each line to `obey`. A client's next line waits until the one before is answered. Of more than
  /// limits::kClients the one that has been silent longest is dropped. Throws Error if the socket can't be made.
  Control(Loop& loop, std::filesystem::path socket, Obey obey);
  Control(const Control&) = delete;
  Control& operator=(const Control&) = delete;
  ~Control();

 private:
  Loop& loop_;
  Obey obey_;
  base::LineServer server_;
};

}  // namespace idlemeter::meter
