// Games that come with a probe inside, over the link.
#pragma once

#include <filesystem>
#include <list>
#include <memory>
#include <optional>

#include "base/private_socket.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/draw/image.hpp"
#include "link/meter_end.hpp"
#include "meter/loop.hpp"
#include "meter/session/attachment.hpp"

namespace idlemeter::meter {

class LinkAttachment final : public Attachment {
 public:
  explicit LinkAttachment(link::MeterEnd end) : end_(std::move(end)) {}

  [[nodiscard]] link::MeterEnd& end() { return end_; }
  [[nodiscard]] pid_t pid() const override { return end_.pid(); }
  [[nodiscard]] std::string api() const override;
  [[nodiscard]] bool is_closed() const override { return end_.is_closed(); }
  [[nodiscard]] std::string driver() const override { return printable(end_.graphics().driver); }
  std::uint32_t drain(std::vector<link::FrameEntry>& into) override { return end_.drain(into); }
  [[nodiscard]] bool takes_pictures() const override { return end_.linked(); }
  void publish(const Image& image, int x, int y) override;
  void show(bool visible) override { end_.show(visible); }
  void beat(Moment now) override { end_.beat(now); }

 private:
  link::MeterEnd end_;
};

/// Listens for probes. A peer counts as a game once it has greeted; of those that stay silent only a few are kept, for
/// two seconds. The socket is removed in the end.
class Links final : public Entrance {
 public:
  /// Throws Error if the socket can't be made. Loop and host have to outlive it.
  Links(Loop& loop, std::filesystem::path socket, Host& host);
  Links(const Links&) = delete;
  Links& operator=(const Links&) = delete;
  ~Links() override;

  /// Lets games go whose sockets ended before their processes did.
  void look() override;

  /// Takes no more games, and releases the present ones: another meter may listen where this one did.
  void close() override;

 private:
  struct Link {
    LinkAttachment* attachment;
    Game* game;
    Moment since{};
    bool cut_off = false;  // the socket has ended: a game may close all its descriptors, its shared memory goes on
  };

  /// Connected, and not greeted yet.
  struct Silent {
    std::unique_ptr<LinkAttachment> attachment;
    Moment since{};
  };

  void accept();
  void greet(int socket);
  void forget(int socket);
  void welcome(std::unique_ptr<LinkAttachment> attachment);
  bool make_room();
  void hear(Link& link);
  [[nodiscard]] bool is_alive(const Link& link) const;
  void remove(Link& link);

  Loop& loop_;
  Host& host_;
  std::optional<base::PrivateListener> listener_;
  std::list<Silent> silent_;
  std::list<Link> links_;
};

}  // namespace idlemeter::meter
