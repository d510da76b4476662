#include "desk/live.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <list>
#include <memory>
#include <thread>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/meter/watch.hpp"

namespace idlemeter::desk {
namespace {

std::string event(const Json& json) {
  return fmt::format("data: {}\n\n", json.dump(-1, ' ', false, Json::error_handler_t::replace));
}

/// One page's view of all meters.
class LiveEvents {
 public:
  explicit LiveEvents(const std::vector<std::string>& readings) {
    constexpr Nanoseconds kThirtieth = kSecond / 30;
    request_.every = kThirtieth;
    request_.frames = true;
    request_.readings = readings;
  }

  /// Waits a while for the next one.
  std::string next() {
    if (look_again_ <= monotonic_now() && find_meters()) return event(list());
    constexpr Nanoseconds kPatience = kSecond / 4;
    const Nanoseconds each = kPatience / std::max<std::int64_t>(1, std::ssize(watches_));
    std::string text;
    for (Watched& one : watches_) text += update_of(one, each);
    std::erase_if(watches_, [](const Watched& one) { return one.watch == nullptr; });
    if (watches_.empty()) std::this_thread::sleep_for(kPatience);
    return text.empty() && monotonic_now() - said_ > kHeartbeat ? beat() : text;
  }

 private:
  static constexpr Nanoseconds kHeartbeat = 10 * kSecond;

  struct Watched {
    int pid = 0;
    std::unique_ptr<MeterWatch> watch;
  };

  [[nodiscard]] Json list() const {
    Json meters = Json::array();
    for (const Watched& one : watches_) meters.push_back(one.pid);
    return {{"meters", meters}};
  }

  /// A comment, so that a connection without a client is noticed.
  std::string beat() {
    said_ = monotonic_now();
    return ": here\n\n";
  }

  /// Whether there are others than before.
  bool find_meters() {
    bool has_changed = look_again_ == Moment{};
    look_again_ = monotonic_now() + kSecond;
    for (const RunningMeter& meter : running_meters()) {
      const bool is_known =
          std::any_of(watches_.begin(), watches_.end(), [&](const Watched& one) { return one.pid == meter.pid; });
      has_changed = (!is_known && begin(meter)) || has_changed;
    }
    return has_changed;
  }

  bool begin(const RunningMeter& meter) {
    try {
      watches_.push_back({meter.pid, std::make_unique<MeterWatch>(meter.control, request_)});
      return true;
    } catch (const Error&) {  // it has ended meanwhile, or too many watch it: it is asked again
      return false;
    }
  }

  std::string update_of(Watched& one, Nanoseconds at_most) {
    try {
      const auto update = one.watch->next(at_most);
      if (!update && !one.watch->is_over()) return "";
      said_ = monotonic_now();
      if (update) return fmt::format("data: {{\"meter\":{},\"update\":{}}}\n\n", one.pid, to_json(*update));
    } catch (const Error&) {  // of no use any more
    }
    one.watch = nullptr;
    look_again_ = Moment{};
    return "";
  }

  WatchRequest request_;
  std::list<Watched> watches_;
  Moment look_again_{}, said_{};
};

}  // namespace

std::function<std::optional<std::string>()> live_events(const std::vector<std::string>& readings) {
  return [events = std::make_shared<LiveEvents>(readings)] { return std::optional(events->next()); };
}

RecordingPlan plan_in(const Json& form) {
  if (!form.is_object()) throw Error(Error::Code::invalid, "a plan is an object");
  RecordingPlanText text{.length = text_or_none(form, "for"),
                         .after = text_or_none(form, "after"),
                         .repeat = text_or_none(form, "repeat"),
                         .pause = text_or_none(form, "pause"),
                         .note = text_or_none(form, "note")};
  text.settings = texts_in(form, "settings");
  text.tags = texts_in(form, "tags");
  return plan_from(text);
}

namespace {

Json ask(int meter, const MeterCommand& what) {
  for (const RunningMeter& one : running_meters()) {
    if (one.pid != meter) continue;
    const MeterAnswer answer = ask_meter(one.control, what);
    if (!answer.error.empty()) throw Error(answer.code, answer.error);
    return Json::parse(to_json(answer));
  }
  throw Error(Error::Code::not_found, "the game's meter has ended");
}

}  // namespace

Json record(int meter, const RecordingPlan& plan) {
  return ask(meter, {.what = MeterCommand::What::record, .record = MeterCommand::Record::start, .plan = plan});
}

Json tell(int meter, const Json& command) {
  const MeterCommand what = command_from_json(command.dump(-1, ' ', false, Json::error_handler_t::replace));
  if (what.what == MeterCommand::What::watch)
    throw Error(Error::Code::invalid, "the page watches by its stream of events");
  return ask(meter, what);
}

}  // namespace idlemeter::desk
