#include "meter/display/above_x11.hpp"

#include <fmt/format.h>
#include <unistd.h>
#include <xcb/res.h>

#include <algorithm>
#include <set>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "link/handover.hpp"

namespace idlemeter::meter {
namespace {

constexpr Nanoseconds kSearchEvery = kSecond;
constexpr int kDeepest = 3;                  // window managers lay a game's window into one or two of their own
constexpr std::uint32_t kSmallestSide = 64;  // anything smaller isn't a game's picture

using Owners = std::map<xcb_window_t, pid_t>;  // processes by the base of their windows' numbers

std::vector<xcb_window_t> windows_of(const xcb_query_tree_reply_t* tree) {
  if (tree == nullptr) return {};
  const xcb_window_t* first = xcb_query_tree_children(tree);
  return {first, first + xcb_query_tree_children_length(tree)};
}

}  // namespace

AboveAttachment::AboveAttachment(pid_t pid, const OverlayDisplay& display, DamageWatch* damage, std::string blind)
    : pid_(pid), overlay_(display), damage_(damage), blind_(std::move(blind)) {}

AboveAttachment::~AboveAttachment() {
  if (damage_ != nullptr && seen_.window != 0) damage_->remove(seen_.window);
}

std::uint32_t AboveAttachment::drain(std::vector<link::FrameEntry>& into) {
  return damage_ == nullptr ? 0 : damage_->drain(seen_.window, into);
}

void AboveAttachment::publish(const Image& image, int x, int y) {
  overlay_.publish(image, x, y);
  if (damage_ != nullptr) damage_->cover(seen_.window, overlay_.covered());
}

void AboveAttachment::show(bool visible) {
  visible_ = visible;
  const bool was_shown = overlay_.is_shown();
  overlay_.show(visible_ && seen_.window != 0);
  if (!was_shown && overlay_.is_shown()) overlay_.stack_above(seen_.frame);
}

void AboveAttachment::set_window(const SeenWindow& seen) {
  if (damage_ != nullptr && seen.window != seen_.window) {
    if (seen_.window != 0) damage_->remove(seen_.window);
    if (seen.window != 0) damage_->add(seen.window, overlay_.covered());
  }
  seen_ = seen;
  show(visible_);
}

AboveX11::AboveX11(Loop& loop, std::function<bool(int)> is_game, Host& host)
    : loop_(loop), is_game_(std::move(is_game)), host_(host) {
  const auto* resources = xcb_get_extension_data(*display_, &xcb_res_id);
  if (resources == nullptr || resources->present == 0)
    throw Error(Error::Code::unavailable, "the display has no X-Resource extension, which says whose windows are whose",
                "", "play without a window above", Error::Hint::no_window_above);
  try {
    damage_.emplace();
  } catch (const Error& error) {
    blind_ = error.what();
  }
  const std::string name = fmt::format("_NET_WM_CM_S{}", display_.screen_number);
  const auto atom = owned(xcb_intern_atom_reply(
      *display_, xcb_intern_atom(*display_, 0, static_cast<std::uint16_t>(name.size()), name.data()), nullptr));
  if (atom != nullptr) compositor_ = atom->atom;
  const std::uint32_t events = XCB_EVENT_MASK_SUBSTRUCTURE_NOTIFY;
  xcb_change_window_attributes(*display_, display_.screen->root, XCB_CW_EVENT_MASK, &events);
  xcb_flush(*display_);
  loop_.watch(xcb_get_file_descriptor(*display_), [this] { hear(); });
}

AboveX11::~AboveX11() {
  loop_.unwatch(xcb_get_file_descriptor(*display_));
  leave_all();
}

/// Any change on the display may move, cover or end a game's window, but those of the overlays don't.
void AboveX11::hear() {
  while (const auto event = owned(xcb_poll_for_event(*display_))) {
    if (event->response_type == 0) continue;  // a window was gone before it was asked about
    const auto* about = reinterpret_cast<const xcb_configure_notify_event_t*>(event.get());
    const bool own = std::any_of(covered_.begin(), covered_.end(), [&](const auto& entry) {
      return entry.second.attachment->overlay().id() == about->window;
    });
    changed_ = changed_ || !own;
  }
  if (xcb_connection_has_error(*display_) == 0) return;
  loop_.unwatch(xcb_get_file_descriptor(*display_));
  leave_all();
}

void AboveX11::leave_all() {
  for (auto& [pid, covered] : std::exchange(covered_, {})) host_.remove_game(*covered.game);
}

void AboveX11::look() {
  if (xcb_connection_has_error(*display_) != 0) return;
  hear();
  if (!changed_ && monotonic_now() < search_due_) return;
  changed_ = false;
  search_due_ = monotonic_now() + kSearchEvery;
  search();
  xcb_flush(*display_);
}

void AboveX11::search() {
  note_compositor();
  const Owners clients = games_clients();
  const auto tree = owned(xcb_query_tree_reply(*display_, xcb_query_tree(*display_, display_.screen->root), nullptr));
  const std::vector<xcb_window_t> stack = windows_of(tree.get());
  const auto windows = largest_windows(clients, stack);
  for (const auto& [pid, seen] : windows) {
    if (covered_.find(pid) == covered_.end()) cover(pid);
  }
  std::set<pid_t> connected;
  for (const auto& [base, pid] : clients) connected.insert(pid);
  std::erase_if(covered_, [&](const auto& entry) {
    const bool gone = connected.count(entry.first) == 0;
    if (gone) host_.remove_game(*entry.second.game);
    return gone;
  });
  for (auto& [pid, covered] : covered_) {
    const auto seen = windows.find(pid);
    covered.attachment->set_window(seen == windows.end() ? SeenWindow{} : seen->second);
    follow(covered, stack);
  }
}

void AboveX11::cover(pid_t pid) {
  auto attachment = std::make_unique<AboveAttachment>(pid, display_, damage_ ? &*damage_ : nullptr, blind_);
  AboveAttachment* const kept = attachment.get();
  if (Game* game = host_.add_game(std::move(attachment))) covered_[pid] = {kept, game};
}

Owners AboveX11::games_clients() const {
  const xcb_res_client_id_spec_t everyone{0, XCB_RES_CLIENT_ID_MASK_LOCAL_CLIENT_PID};
  const auto ids =
      owned(xcb_res_query_client_ids_reply(*display_, xcb_res_query_client_ids(*display_, 1, &everyone), nullptr));
  Owners games;
  if (ids == nullptr) return games;
  for (auto id = xcb_res_query_client_ids_ids_iterator(ids.get()); id.rem > 0; xcb_res_client_id_value_next(&id)) {
    if (xcb_res_client_id_value_value_length(id.data) < 1) continue;
    const auto pid = static_cast<pid_t>(*xcb_res_client_id_value_value(id.data));
    if (pid != ::getpid() && is_game_(pid)) games[id.data->spec.client] = pid;
  }
  return games;
}

/// Level by level of the windows' tree; everything of a level is asked at once, and then read.
std::map<pid_t, SeenWindow> AboveX11::largest_windows(const Owners& clients,
                                                      const std::vector<xcb_window_t>& stack) const {
  std::vector<Place> level;
  if (!clients.empty()) {
    for (xcb_window_t window : stack) level.push_back({window, window});
  }
  std::map<pid_t, SeenWindow> found;
  for (int depth = 0; depth < kDeepest && !level.empty(); ++depth) {
    const std::uint32_t base = ~xcb_get_setup(*display_)->resource_id_mask;
    std::vector<Place> games, others;
    for (const Place& place : level) (clients.count(place.window & base) > 0 ? games : others).push_back(place);
    for (const SeenWindow& seen : seen_windows(games)) {
      SeenWindow& largest = found[clients.at(seen.window & base)];
      if (std::uint64_t{seen.width} * seen.height > std::uint64_t{largest.width} * largest.height) largest = seen;
    }
    level = children_of(others);
  }
  return found;
}

/// Those that can be a game's picture.
std::vector<SeenWindow> AboveX11::seen_windows(const std::vector<Place>& places) const {
  std::vector<std::pair<xcb_get_window_attributes_cookie_t, xcb_get_geometry_cookie_t>> asked;
  for (const Place& place : places)
    asked.emplace_back(xcb_get_window_attributes(*display_, place.window), xcb_get_geometry(*display_, place.window));
  std::vector<SeenWindow> seen;
  for (std::size_t i = 0; i < places.size(); ++i) {
    const auto about = owned(xcb_get_window_attributes_reply(*display_, asked[i].first, nullptr));
    const auto size = owned(xcb_get_geometry_reply(*display_, asked[i].second, nullptr));
    const bool is_seen = about != nullptr && size != nullptr && about->_class == XCB_WINDOW_CLASS_INPUT_OUTPUT &&
                         about->map_state == XCB_MAP_STATE_VIEWABLE;
    if (is_seen && size->width >= kSmallestSide && size->height >= kSmallestSide)
      seen.push_back({places[i].window, places[i].frame, size->width, size->height});
  }
  return seen;
}

std::vector<AboveX11::Place> AboveX11::children_of(const std::vector<Place>& places) const {
  std::vector<xcb_query_tree_cookie_t> asked;
  for (const Place& place : places) asked.push_back(xcb_query_tree(*display_, place.window));
  std::vector<Place> children;
  for (std::size_t i = 0; i < places.size(); ++i) {
    const auto tree = owned(xcb_query_tree_reply(*display_, asked[i], nullptr));
    for (xcb_window_t child : windows_of(tree.get())) children.push_back({child, places[i].frame});
  }
  return children;
}

/// The overlay goes where the game's window is, right above it: what lies above the game lies above the overlay too.
void AboveX11::follow(Covered& covered, const std::vector<xcb_window_t>& stack) {
  const SeenWindow& seen = covered.attachment->seen();
  if (seen.window == 0) return;
  const std::uint32_t events = XCB_EVENT_MASK_STRUCTURE_NOTIFY;
  xcb_change_window_attributes(*display_, seen.window, XCB_CW_EVENT_MASK, &events);
  const auto place = owned(xcb_translate_coordinates_reply(
      *display_, xcb_translate_coordinates(*display_, seen.window, display_.screen->root, 0, 0), nullptr));
  OverlayWindow& overlay = covered.attachment->overlay();
  if (place != nullptr) overlay.set_origin(place->dst_x, place->dst_y);
  if (overlay.is_shown() && !lies_above(overlay.id(), seen.frame, stack)) overlay.stack_above(seen.frame);
}

/// With nothing between them but windows like itself: two of them would climb over each other for ever.
bool AboveX11::lies_above(xcb_window_t upper, xcb_window_t lower, const std::vector<xcb_window_t>& stack) const {
  auto window = std::find(stack.begin(), stack.end(), lower);
  if (window == stack.end()) return true;
  for (++window; window != stack.end() && *window != upper; ++window) {
    const auto about =
        owned(xcb_get_window_attributes_reply(*display_, xcb_get_window_attributes(*display_, *window), nullptr));
    if (about != nullptr && about->override_redirect == 0 && about->map_state == XCB_MAP_STATE_VIEWABLE) return false;
  }
  return window != stack.end();
}

void AboveX11::note_compositor() {
  const auto owner =
      owned(xcb_get_selection_owner_reply(*display_, xcb_get_selection_owner(*display_, compositor_), nullptr));
  const bool composited = owner != nullptr && owner->owner != XCB_NONE;
  if (composited == std::exchange(display_.composited, composited)) return;
  for (auto& [pid, covered] : covered_) covered.attachment->overlay().renew();
}

}  // namespace idlemeter::meter
