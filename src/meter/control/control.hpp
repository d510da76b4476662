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
  using Reader = base::LineServer::Reader;

  /// The sender of a command. Valid as long as the Control.
  class Client {
   public:
    /// Takes the answer, now or later; ignored if the client has gone.
    void answer(const std::string& text) const { server_->answer(id_, text); }

    /// Instead of one answer, many lines; see LineServer.
    [[nodiscard]] Reader reader() const { return server_->reader(id_); }
    void stream(const std::string& text) const { server_->stream(id_, text); }

   private:
    friend class Control;
    Client(base::LineServer& server, base::LineServer::Client id) : server_(&server), id_(id) {}
    base::LineServer* server_;
    base::LineServer::Client id_;
  };

  using Obey = std::function<void(std::string_view line, Client client)>;

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
