#include "meter/entrance/links.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "meter/entrance/process.hpp"
#include "meter/session/game.hpp"

namespace idlemeter::meter {
namespace {

constexpr Nanoseconds kPatience = 2 * kSecond;  // with peers that say nothing

}  // namespace

std::string LinkAttachment::api() const {
  const auto graphics = end_.graphics();
  constexpr const char* kNames[] = {"", "OpenGL", "OpenGL ES", "Vulkan"};
  const char* name = kNames[static_cast<int>(graphics.api)];
  return graphics.major == 0 ? name : fmt::format("{} {}.{}", name, graphics.major, graphics.minor);
}

void LinkAttachment::publish(const Image& image, int x, int y) {
  unsigned char* pixels = end_.begin_picture();
  for (std::uint32_t pixel : image.pixels) {
    const std::uint32_t turned = (pixel & 0xff00ff00) | (pixel >> 16 & 0xff) | (pixel & 0xff) << 16;
    std::memcpy(pixels, &turned, sizeof turned);
    pixels += sizeof turned;
  }
  end_.publish({x, y, static_cast<std::uint32_t>(image.width), static_cast<std::uint32_t>(image.height)});
}

Links::Links(Loop& loop, std::filesystem::path socket, Host& host) : loop_(loop), host_(host) {
  listener_.emplace(std::move(socket));
  loop_.watch(listener_->descriptor(), [this] { accept(); });
}

Links::~Links() { close(); }

void Links::close() {
  if (!listener_) return;
  while (!links_.empty()) remove(links_.front());
  while (!silent_.empty()) forget(silent_.front().attachment->end().socket());
  loop_.unwatch(listener_->descriptor());
  listener_.reset();
}

void Links::accept() {
  const int socket = listener_->accept();
  if (socket < 0) return;
  if (silent_.size() >= limits::kSilentPeers) forget(silent_.front().attachment->end().socket());
  silent_.push_back({std::make_unique<LinkAttachment>(link::MeterEnd(socket)), monotonic_now()});
  loop_.watch(socket, [this, socket] { greet(socket); });
}

void Links::greet(int socket) {
  const auto peer = std::find_if(silent_.begin(), silent_.end(),
                                 [&](const Silent& one) { return one.attachment->end().socket() == socket; });
  if (peer == silent_.end()) return;
  if (!peer->attachment->end().receive()) return forget(socket);
  if (!peer->attachment->end().linked()) return;
  loop_.unwatch(socket);
  std::unique_ptr<LinkAttachment> attachment = std::move(peer->attachment);
  silent_.erase(peer);
  welcome(std::move(attachment));
}

void Links::forget(int socket) {
  loop_.unwatch(socket);
  silent_.remove_if([&](const Silent& one) { return one.attachment->end().socket() == socket; });
}

void Links::welcome(std::unique_ptr<LinkAttachment> attachment) {
  if (links_.size() >= limits::kGames && !make_room()) return;
  LinkAttachment* const kept = attachment.get();
  const int socket = kept->end().socket();
  Game* const game = host_.add_game(std::move(attachment));
  if (game == nullptr) return;
  Link& link = links_.emplace_back(Link{kept, game, monotonic_now()});
  loop_.watch(socket, [this, &link] { hear(link); });
}

/// Lets a peer go that has greeted and never presented: a game presents at once.
bool Links::make_room() {
  const auto idle = std::find_if(links_.begin(), links_.end(), [](const Link& link) {
    return link.game->presents() == 0 && monotonic_now() - link.since > kPatience;
  });
  if (idle == links_.end()) return false;
  remove(*idle);
  return true;
}

void Links::hear(Link& link) {
  link::MeterEnd& end = link.attachment->end();
  if (end.receive()) return;
  if (!end.linked() || !is_alive(link)) return remove(link);
  link.cut_off = true;
  loop_.unwatch(end.socket());
}

/// The process exists and hasn't linked again, as after exec().
bool Links::is_alive(const Link& link) const {
  const pid_t pid = link.attachment->pid();
  for (auto other = links_.rbegin(); other != links_.rend() && &*other != &link; ++other) {
    if (other->attachment->pid() == pid && other->attachment->end().linked()) return false;
  }
  return pid > 0 && is_running(pid);
}

void Links::look() {
  while (!silent_.empty() && monotonic_now() - silent_.front().since > kPatience)
    forget(silent_.front().attachment->end().socket());
  for (auto link = links_.begin(); link != links_.end();) {
    Link& one = *link++;
    if (one.cut_off && !is_alive(one)) remove(one);
  }
}

void Links::remove(Link& link) {
  loop_.unwatch(link.attachment->end().socket());
  host_.remove_game(*link.game);
  links_.remove_if([&](const Link& one) { return &one == &link; });
}

}  // namespace idlemeter::meter
