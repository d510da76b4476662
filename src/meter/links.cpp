#include "meter/links.hpp"

#include <fmt/format.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cstring>

#include "meter/process.hpp"
#include "sources/private_socket.hpp"

namespace idlemeter::meter {

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

Links::Links(Loop& loop, std::filesystem::path socket, Host& host)
    : loop_(loop), path_(std::move(socket)), socket_(sources::listen_privately(path_)), host_(host) {
  loop_.watch(socket_, [this] { accept(); });
}

Links::~Links() {
  for (Link& link : links_) loop_.unwatch(link.attachment->end().socket());
  loop_.unwatch(socket_);
  ::close(socket_);
  std::error_code gone;
  std::filesystem::remove(path_, gone);
}

void Links::accept() {
  const int socket = ::accept4(socket_, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
  if (socket < 0) return;
  auto attachment = std::make_unique<LinkAttachment>(link::MeterEnd(socket));
  LinkAttachment* const kept = attachment.get();
  Game* const game = host_.come(std::move(attachment));
  if (game == nullptr) return;
  Link& link = links_.emplace_back(Link{kept, game});
  loop_.watch(socket, [this, &link] { hear(link); });
}

void Links::hear(Link& link) {
  link::MeterEnd& end = link.attachment->end();
  if (end.receive()) return;
  if (!end.linked() || !is_alive(link)) return leave(link);
  link.cut_off = true;
  loop_.unwatch(end.socket());
}

/// The process is there and hasn't linked itself anew, as after exec().
bool Links::is_alive(const Link& link) const {
  const pid_t pid = link.attachment->pid();
  for (auto other = links_.rbegin(); other != links_.rend() && &*other != &link; ++other) {
    if (other->attachment->pid() == pid && other->attachment->end().linked()) return false;
  }
  return pid > 0 && is_running(pid);
}

void Links::look() {
  for (auto link = links_.begin(); link != links_.end();) {
    Link& one = *link++;
    if (one.cut_off && !is_alive(one)) leave(one);
  }
}

void Links::leave(Link& link) {
  loop_.unwatch(link.attachment->end().socket());
  host_.leave(*link.game);
  links_.remove_if([&](const Link& one) { return &one == &link; });
}

}  // namespace idlemeter::meter
