#include "meter/cues/cues.hpp"

#include <fmt/format.h>
#include <gio/gio.h>
#include <libspeechd.h>
#include <pulse/error.h>
#include <pulse/simple.h>

#include <algorithm>
#include <condition_variable>
#include <deque>
#include <mutex>
#include <stdexcept>
#include <utility>

#include "base/quiet_thread.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "meter/cues/tone.hpp"
#include "meter/session_bus.hpp"

namespace idlemeter::meter {
namespace {

constexpr const char* kName = "Idle Meter";

// Each gives a cue or throws Error (failed).

using Sound = Owned<pa_simple, &pa_simple_free>;

[[noreturn]] void fail_with_sound(int error) {
  throw Error(Error::Code::failed, fmt::format("no sound server can be used ({})", pa_strerror(error)));
}

Sound open_sound() {
  const pa_sample_spec format{PA_SAMPLE_S16NE, kToneRate, 1};
  constexpr std::uint32_t kLatency = kToneRate / 20 * sizeof(std::int16_t), kUsual = ~0u;  // bytes: a twentieth second
  const pa_buffer_attr buffer{kUsual, kLatency, kUsual, kUsual, kUsual};
  int error = 0;
  Sound stream(pa_simple_new(nullptr, kName, PA_STREAM_PLAYBACK, nullptr, "cue", &format, nullptr, &buffer, &error));
  if (stream == nullptr) fail_with_sound(error);
  return stream;
}

void play(const Cue& cue) {
  const std::vector<std::int16_t> samples = tone_of(cue.kind);
  const Sound stream = open_sound();
  const auto bytes = samples.size() * sizeof(std::int16_t);
  int error = 0;
  if (pa_simple_write(stream.get(), samples.data(), bytes, &error) < 0 || pa_simple_drain(stream.get(), &error) < 0)
    fail_with_sound(error);
}

void notify(const Cue& cue) {
  constexpr int kShown = 4'000, kWait = 2'000;  // milliseconds
  constexpr std::uint8_t kNormal = 1, kCritical = 2;
  const Bus bus = connect_to_session_bus();
  std::string title = cue.text;
  if (!title.empty()) title[0] = g_ascii_toupper(title[0]);
  const Owned<char, &g_free> body(g_markup_escape_text(cue.about.c_str(), -1));
  GVariantBuilder hints;
  g_variant_builder_init(&hints, G_VARIANT_TYPE("a{sv}"));
  const bool is_failure = cue.kind == Cue::Kind::failure;
  g_variant_builder_add(&hints, "{sv}", "urgency", g_variant_new_byte(is_failure ? kCritical : kNormal));
  GError* error = nullptr;
  const Variant answer(g_dbus_connection_call_sync(
      bus.get(), "org.freedesktop.Notifications", "/org/freedesktop/Notifications", "org.freedesktop.Notifications",
      "Notify", g_variant_new("(susssasa{sv}i)", kName, 0u, "", title.c_str(), body.get(), nullptr, &hints, kShown),
      nullptr, G_DBUS_CALL_FLAGS_NONE, kWait, nullptr, &error));
  if (answer == nullptr)
    throw Error(Error::Code::failed, fmt::format("the desktop takes no notification ({})", reason_of(error)));
}

using Speech = Owned<SPDConnection, &spd_close>;

Speech open_speech() {
  constexpr int kSpawn = 1;  // starts the speech dispatcher if it is installed
  char* error = nullptr;
  Speech speech(spd_open2("idlemeter", "cue", nullptr, SPD_MODE_SINGLE, nullptr, kSpawn, &error));
  const Owned<char, &std::free> reason(error);
  if (speech == nullptr)
    throw Error(Error::Code::failed, fmt::format("no speech dispatcher answers{}",
                                                 reason == nullptr ? "" : fmt::format(" ({})", reason.get())));
  return speech;
}

void speak(const Cue& cue) {
  const Speech speech = open_speech();
  if (spd_say(speech.get(), SPD_MESSAGE, cue.text.c_str()) < 0)
    throw Error(Error::Code::failed, "the speech dispatcher takes no text");
}

/// Whether somebody on the bus shows notifications, or can be started for it.
void find_notifications() {
  constexpr const char* kNotifications = "org.freedesktop.Notifications";
  const Bus bus = connect_to_session_bus();
  GError* error = nullptr;
  const auto ask = [&](const char* method, GVariant* arguments) {
    return Variant(g_dbus_connection_call_sync(bus.get(), "org.freedesktop.DBus", "/org/freedesktop/DBus",
                                               "org.freedesktop.DBus", method, arguments, nullptr,
                                               G_DBUS_CALL_FLAGS_NONE, 2'000, nullptr, &error));
  };
  gboolean is_there = FALSE;
  if (const Variant has = ask("NameHasOwner", g_variant_new("(s)", kNotifications)))
    g_variant_get(has.get(), "(b)", &is_there);
  if (is_there != FALSE) return;
  if (error == nullptr && ask("StartServiceByName", g_variant_new("(su)", kNotifications, 0u)) != nullptr) return;
  throw Error(Error::Code::failed, fmt::format("the desktop takes no notification ({})", reason_of(error)));
}

struct Way {
  const char* name;  ///< in messages
  void (*give)(const Cue& cue);
  void (*find)();  ///< throws as `give` would
};

/// In the order of CueWay.
constexpr Way kWays[] = {{"tone", &play, [] { (void)open_sound(); }},
                         {"notification", &notify, &find_notifications},
                         {"speech", &speak, [] { (void)open_speech(); }}};

const std::vector<CueWay>& chosen(const CueChoices& choices, Cue::Kind kind) {
  const std::vector<CueWay>* const all[] = {&choices.start, &choices.end, &choices.mark, &choices.failure};
  return *all[static_cast<std::size_t>(kind)];
}

}  // namespace

/// Outlives the cues if a server never answers.
struct Cues::Channel {
  explicit Channel(const Way& with) : way(with) {}

  const Way& way;
  std::mutex mutex;
  std::condition_variable changed;
  std::deque<Cue> queue;  // all below under the mutex
  bool busy = false, ending = false, has_failed = false;
  std::string problem;

  void run();
};

void Cues::Channel::run() {
  std::unique_lock lock(mutex);
  for (;;) {
    changed.wait(lock, [this] { return !queue.empty() || ending; });
    if (queue.empty()) return;
    const Cue cue = std::move(queue.front());
    queue.pop_front();
    busy = true;
    lock.unlock();
    std::string failure;
    try {
      way.give(cue);
    } catch (const std::exception& error) {
      failure = error.what();
    }
    lock.lock();
    busy = false;
    if (!failure.empty() && !std::exchange(has_failed, true))
      problem = fmt::format("no {} for recordings: {}", way.name, failure);
    changed.notify_all();
  }
}

Cues::Cues(CueChoices choices) : choices_(std::move(choices)), channels_(std::size(kWays)) {
  for (const auto kind : {Cue::Kind::start, Cue::Kind::end, Cue::Kind::mark, Cue::Kind::failure}) {
    for (const CueWay way : chosen(choices_, kind)) {
      auto& channel = channels_[static_cast<std::size_t>(way)];
      if (channel != nullptr) continue;
      channel = std::make_shared<Channel>(kWays[static_cast<std::size_t>(way)]);
      base::quiet_thread([channel] { channel->run(); }).detach();
    }
  }
}

Cues::~Cues() {
  const auto until = std::chrono::steady_clock::now() + std::chrono::seconds(2);
  for (const auto& channel : channels_) {
    if (channel == nullptr) continue;
    std::unique_lock lock(channel->mutex);
    channel->changed.wait_until(lock, until, [&] { return channel->queue.empty() && !channel->busy; });
    channel->queue.clear();
    channel->ending = true;
    channel->changed.notify_all();
  }
}

void Cues::give(const Cue& cue) {
  constexpr std::size_t kMost = 4;  // later ones would come too late to help
  for (const CueWay way : chosen(choices_, cue.kind)) {
    const auto& channel = channels_[static_cast<std::size_t>(way)];
    const std::lock_guard lock(channel->mutex);
    if (channel->queue.size() >= kMost) continue;
    channel->queue.push_back(cue);
    channel->changed.notify_all();
  }
}

std::vector<std::string> Cues::problems() {
  std::vector<std::string> all;
  for (const auto& channel : channels_) {
    if (channel == nullptr) continue;
    const std::lock_guard lock(channel->mutex);
    if (!channel->problem.empty()) all.push_back(std::exchange(channel->problem, {}));
  }
  return all;
}

std::string problem_with(CueWay way) {
  try {
    kWays[static_cast<std::size_t>(way)].find();
    return "";
  } catch (const Error& error) {
    return error.what();
  }
}

}  // namespace idlemeter::meter
