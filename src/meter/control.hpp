// Commands from other programs: JSON objects, a line each, on a Unix socket.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <list>
#include <string>

#include "meter/loop.hpp"
#include "sources/private_socket.hpp"

namespace idlemeter::meter {

/// One thread at a time, the loop's; the loop must outlive it.
class Control {
 public:
  /// Takes the answer to a command, now or later; an answer to a client that is gone is passed over.
  using Answer = std::function<void(const std::string&)>;
  using Obey = std::function<void(const std::string& line, Answer answer)>;

  /// Listens, and hands each line to `obey`. A client's next line waits until the one before is answered. Of more than
  /// limits::kClients the one that has been silent longest is let go. Throws Error if the socket can't be made.
  Control(Loop& loop, std::filesystem::path socket, Obey obey);
  Control(const Control&) = delete;
  Control& operator=(const Control&) = delete;
  ~Control();

 private:
  struct Client {
    std::uint64_t id = 0;
    int socket = -1;
    std::string input;
    bool waits = false;   // for an answer
    bool closed = false;  // it says nothing more, but may still read
    std::int64_t heard = 0;
  };

  void accept();
  void hear(Client& client);
  void obey_lines(Client& client);
  void answer(std::uint64_t id, const std::string& text);
  [[nodiscard]] Client* find(std::uint64_t id);
  void leave(Client& client);

  Loop& loop_;
  Obey obey_;
  sources::PrivateListener listener_;
  std::list<Client> clients_;
  std::uint64_t last_id_ = 0;
};

}  // namespace idlemeter::meter
