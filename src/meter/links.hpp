// Games that come with a probe inside, over the link.
#pragma once

#include <filesystem>
#include <list>

#include "link/meter_end.hpp"
#include "meter/attachment.hpp"
#include "meter/loop.hpp"

namespace idlemeter::meter {

class LinkAttachment final : public Attachment {
 public:
  explicit LinkAttachment(link::MeterEnd end) : end_(std::move(end)) {}

  [[nodiscard]] link::MeterEnd& end() { return end_; }
  [[nodiscard]] pid_t pid() const override { return end_.pid(); }
  [[nodiscard]] std::string api() const override;
  std::uint32_t drain(std::vector<link::FrameEntry>& into) override { return end_.drain(into); }
  [[nodiscard]] bool takes_pictures() const override { return end_.linked(); }
  void publish(const Image& image, int x, int y) override;
  void show(bool visible) override { end_.show(visible); }
  void beat(std::int64_t now) override { end_.beat(now); }

 private:
  link::MeterEnd end_;
};

/// Listens for probes. The socket is removed in the end.
class Links final : public Entrance {
 public:
  /// Throws Error where the socket can't be made. Loop and host have to outlive it.
  Links(Loop& loop, std::filesystem::path socket, Host& host);
  Links(const Links&) = delete;
  Links& operator=(const Links&) = delete;
  ~Links() override;

  /// Lets games go whose sockets ended before their processes did.
  void look() override;

 private:
  struct Link {
    LinkAttachment* attachment;
    Game* game;
    bool cut_off = false;  // the socket has ended: a game may close all its descriptors, its shared memory goes on
  };

  void accept();
  void hear(Link& link);
  [[nodiscard]] bool is_alive(const Link& link) const;
  void leave(Link& link);

  Loop& loop_;
  std::filesystem::path path_;
  int socket_;
  Host& host_;
  std::list<Link> links_;
};

}  // namespace idlemeter::meter
