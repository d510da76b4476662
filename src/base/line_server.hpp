// Lines of text from other programs of the same user, over a Unix socket.
#pragma once

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <list>
#include <string>
#include <string_view>

#include "base/private_socket.hpp"

namespace idlemeter::base {

struct LineServerOptions {
  std::size_t most_clients = 16;
  std::size_t line_bytes = 4096;  ///< a longer line is refused
  bool answers = false;           ///< each line waits for answer(); the client's next one waits until then
  /// When full, the client that has been silent longest leaves, if it isn't streamed to; else the newcomer does.
  bool newest_first = false;
};

/// Whoever owns it polls descriptor() and calls serve(): no thread and no event loop of its own. One thread at a time.
class LineServer {
 public:
  using Client = std::uint64_t;
  using OnLine = std::function<void(Client, std::string_view)>;
  using OnRefused = std::function<void(Client)>;

  /// Handlers may call answer(), and nothing else of this. `refused` is called for a line that is too long, and for one
  /// without an end. Throws Error as PrivateListener does.
  LineServer(std::filesystem::path socket, LineServerOptions options, OnLine line, OnRefused refused = {});
  LineServer(const LineServer&) = delete;
  LineServer& operator=(const LineServer&) = delete;
  ~LineServer();

  /// Readable while serve() has something to do.
  [[nodiscard]] int descriptor() const { return poll_; }

  /// Hands on what has come. Never waits.
  void serve();

  /// Sends a line back. Ignored if the client has gone or isn't waiting. One that doesn't read its answers is dropped.
  void answer(Client client, std::string_view text);

  /// How far a waiting client has read what was streamed to it.
  enum class Reader : std::uint8_t {
    ready,  ///< it has all
    busy,   ///< a part of it is still to be sent
    gone
  };

  /// Sends what is left of the last line that was streamed, as far as the client reads. Never waits.
  Reader reader(Client client);

  /// Sends one of many lines to a waiting client, which isn't answered otherwise from then on. If it reads slowly the
  /// rest of the line is kept, so call this only while reader() says `ready`, and not from a handler.
  void stream(Client client, std::string_view text);

 private:
  struct Connection {
    Client id = 0;
    int socket = -1;
    std::string input = {};
    bool too_long = false;     // the rest of the line is skipped
    bool waits = false;        // for an answer
    bool closed = false;       // it sends nothing more, but may still read
    bool out_of_step = false;  // an answer to it is missing: it has to go
    bool streams = false;      // it is sent lines again and again
    bool is_taken = false;     // its lines are being handed on: it stays in the list until that is over
    bool has_left = false;
    std::string output = {};  // of a streamed line, not sent yet
  };
  using Place = std::list<Connection>::iterator;

  void watch(int fd, Client id) const;
  void accept();
  void hear(Place client);
  void take_lines(Place client);
  bool take_line(Connection& client);
  [[nodiscard]] Place find(Client id);
  void leave(Place client);

  LineServerOptions options_;
  OnLine line_;
  OnRefused refused_;
  PrivateListener listener_;
  int poll_;
  std::list<Connection> clients_;  // the longest silent first
  Client last_id_ = 0;             // 0: the listener
};

}  // namespace idlemeter::base
