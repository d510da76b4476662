// Commands from other programs: JSON objects, a line each, on a Unix socket.
#pragma once

#include <filesystem>
#include <functional>
#include <list>
#include <string>

#include "meter/loop.hpp"

namespace idlemeter::meter {

/// One thread at a time, the loop's; the loop must outlive it.
class Control {
 public:
  /// Listens, and answers each line with what `obey` makes of it. Throws Error where the socket can't be made.
  Control(Loop& loop, std::filesystem::path socket, std::function<std::string(const std::string&)> obey);
  Control(const Control&) = delete;
  Control& operator=(const Control&) = delete;
  ~Control();

 private:
  struct Client {
    int socket = -1;
    std::string input;
  };

  void accept();
  void hear(Client& client);
  void leave(Client& client);

  Loop& loop_;
  std::filesystem::path path_;
  std::function<std::string(const std::string&)> obey_;
  int socket_ = -1;
  std::list<Client> clients_;
};

}  // namespace idlemeter::meter
