#include "meter/display/above_wayland.hpp"

#include <memory>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "meter/entrance/clients_of_socket.hpp"
#include "meter/entrance/process.hpp"

namespace idlemeter::meter {
bool has_layers(const WaylandSession& session) {
  return session.layer_shell != nullptr && session.compositor != nullptr && session.shm != nullptr;
}

std::string AboveWaylandAttachment::blind() const {
  return "Wayland doesn't report when another program draws its window";
}

Attachment::Size AboveWaylandAttachment::size() const {
  const WaylandOutput* output = window_.output();
  if (output == nullptr) return {};
  return {static_cast<std::uint32_t>(output->pixel_width()), static_cast<std::uint32_t>(output->pixel_height())};
}

AboveWayland::AboveWayland(Loop& loop, std::function<bool(int)> is_game, Host& host)
    : loop_(loop), is_game_(std::move(is_game)), host_(host), session_(std::in_place) {
  if (!has_layers(*session_))
    throw Error(Error::Code::unavailable,
                "the compositor has no layers for a window above the game (zwlr_layer_shell_v1)", "",
                "play without a window above", Error::Hint::no_window_above);
  loop_.watch(session_->descriptor(), [this] { hear(); });
}

AboveWayland::~AboveWayland() {
  if (session_) loop_.unwatch(session_->descriptor());
  leave();
}

/// Removes the game if the compositor has closed the connection.
void AboveWayland::hear() {
  if (session_->hear()) return;
  loop_.unwatch(session_->descriptor());
  leave();
  session_.reset();
}

void AboveWayland::leave() {
  attachment_ = nullptr;
  if (Game* const game = std::exchange(game_, nullptr)) host_.remove_game(*game);
}

void AboveWayland::look() {
  if (!session_) return;
  const Moment now = monotonic_now();
  if (now >= look_due_) {
    look_due_ = now + kSecond;
    if (attachment_ != nullptr && !is_running(attachment_->pid())) leave();
    if (attachment_ == nullptr || now >= search_due_) search();
    if (attachment_ != nullptr) attachment_->window().renew();
  }
  hear();  // sends the drawn picture, too
}

/// Looks at all processes, so it runs less often once a game was found. A process has to be found twice: many connect
/// for a moment when they start, only to ask what the compositor offers.
void AboveWayland::search() {
  search_due_ = monotonic_now() + 5 * kSecond;
  const pid_t client = largest_client();
  const bool is_steady = std::exchange(seen_, client) == client;
  if (attachment_ != nullptr && attachment_->pid() == client) return;
  if (client != 0 && !is_steady) return;
  leave();
  if (client == 0) return;
  auto attachment = std::make_unique<AboveWaylandAttachment>(client, *session_);
  attachment_ = attachment.get();
  game_ = host_.add_game(std::move(attachment));
  if (game_ == nullptr) attachment_ = nullptr;
}

/// Returns 0 if no process of a game is connected.
pid_t AboveWayland::largest_client() const {
  const std::set<ino_t> clients = clients_of_socket(session_->socket_path());
  pid_t largest = 0;
  std::uint64_t most = 0;
  for (const int pid : all_processes()) {
    if (pid == ::getpid() || !is_game_(pid) || !has_any_socket(pid, clients)) continue;
    const std::uint64_t memory = resident_pages_of(pid);
    if (largest == 0 || memory > most) {
      largest = pid;
      most = memory;
    }
  }
  return largest;
}

}  // namespace idlemeter::meter
