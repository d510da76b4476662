#include "meter/display/damage_watch.hpp"

#include <signal.h>
#include <sys/socket.h>
#include <xcb/damage.h>

#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "link/handover.hpp"

namespace idlemeter::meter {
namespace {

constexpr std::uint8_t kMoreOfThisReport = 0x80;  // in an event's level
constexpr std::size_t kMostArrived = link::kRingCapacity;

bool is_within(const xcb_rectangle_t& inner, const xcb_rectangle_t& outer) {
  return inner.x >= outer.x && inner.y >= outer.y && inner.x + inner.width <= outer.x + outer.width &&
         inner.y + inner.height <= outer.y + outer.height;
}

}  // namespace

DamageWatch::DamageWatch() : display_(connect_to_display()) {
  xcb_connection_t* const display = display_.get();
  const auto* extension =
      xcb_connection_has_error(display) != 0 ? nullptr : xcb_get_extension_data(display, &xcb_damage_id);
  const auto version =
      extension == nullptr || extension->present == 0
          ? owned<xcb_damage_query_version_reply_t>(nullptr)
          : owned(xcb_damage_query_version_reply(display, xcb_damage_query_version(display, 1, 1), nullptr));
  if (version == nullptr)
    throw Error(Error::Code::unavailable,
                "the display has no DAMAGE extension, which says when a window is drawn into");
  notify_ = extension->first_event + XCB_DAMAGE_NOTIFY;
  thread_ = std::thread([this] { listen(); });
}

DamageWatch::~DamageWatch() {
  ::shutdown(xcb_get_file_descriptor(display_.get()), SHUT_RDWR);
  thread_.join();
}

void DamageWatch::add(xcb_window_t window, xcb_rectangle_t covered) {
  const std::uint32_t damage = xcb_generate_id(display_.get());
  {
    const std::lock_guard lock(mutex_);
    windows_[window] = {damage, covered};
  }
  xcb_damage_create(display_.get(), damage, window, XCB_DAMAGE_REPORT_LEVEL_RAW_RECTANGLES);
  xcb_flush(display_.get());
}

void DamageWatch::remove(xcb_window_t window) {
  const std::lock_guard lock(mutex_);
  const auto found = windows_.find(window);
  if (found == windows_.end()) return;
  xcb_damage_destroy(display_.get(), found->second.damage);
  xcb_flush(display_.get());
  windows_.erase(found);
}

void DamageWatch::cover(xcb_window_t window, xcb_rectangle_t covered) {
  const std::lock_guard lock(mutex_);
  if (const auto found = windows_.find(window); found != windows_.end()) found->second.covered = covered;
}

std::uint32_t DamageWatch::drain(xcb_window_t window, std::vector<link::FrameEntry>& into) {
  const std::lock_guard lock(mutex_);
  const auto found = windows_.find(window);
  if (found == windows_.end()) return 0;
  Watched& watched = found->second;
  into.insert(into.end(), watched.arrived.begin(), watched.arrived.end());
  watched.arrived.clear();
  return std::exchange(watched.lost, 0);
}

void DamageWatch::listen() {
  sigset_t all;  // signals are for the threads that the program has made
  sigfillset(&all);
  ::pthread_sigmask(SIG_BLOCK, &all, nullptr);
  while (const auto event = owned(xcb_wait_for_event(display_.get()))) {
    if ((event->response_type & 0x7f) == notify_) take(*event);
  }
}

void DamageWatch::take(const xcb_generic_event_t& event) {
  const Moment at = monotonic_now();
  const auto& notify = reinterpret_cast<const xcb_damage_notify_event_t&>(event);
  const std::lock_guard lock(mutex_);
  const auto found = windows_.find(notify.drawable);
  if (found == windows_.end()) return;
  Watched& watched = found->second;
  watched.counts = watched.counts || !is_within(notify.area, watched.covered);
  if ((notify.level & kMoreOfThisReport) != 0 || !std::exchange(watched.counts, false)) return;
  if (watched.arrived.size() >= kMostArrived) {
    ++watched.lost;
    return;
  }
  link::FrameEntry frame;
  frame.present = at;
  frame.drawable = notify.drawable;
  frame.width = notify.geometry.width;
  frame.height = notify.geometry.height;
  frame.after_pause = std::exchange(watched.after_pause, false) ? 1 : 0;
  watched.arrived.push_back(frame);
}

}  // namespace idlemeter::meter
