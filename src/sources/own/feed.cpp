// Numbers that other programs hand in.
#include "idlemeter/sources/feed.hpp"

#include <fmt/format.h>
#include <poll.h>
#include <sys/eventfd.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <map>
#include <mutex>
#include <thread>

#include "base/line_server.hpp"
#include "base/private_socket.hpp"
#include "base/quiet_thread.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/kernel_file.hpp"
#include "sources/own/open_metrics.hpp"

namespace idlemeter {
namespace {

using namespace base;

constexpr std::size_t kMostReadings = limits::kFeedReadings;

/// Units by the names that the format recommends.
Unit unit_of(const std::string& name) {
  static const std::map<std::string, Unit, std::less<>> kNames = {
      {"seconds", Unit::second}, {"milliseconds", Unit::millisecond},
      {"bytes", Unit::byte},     {"celsius", Unit::celsius},
      {"watts", Unit::watt},     {"volts", Unit::volt},
      {"hertz", Unit::hertz},    {"percent", Unit::percent}};
  const auto known = kNames.find(name);
  return known != kNames.end() ? known->second : unit_from(name).value_or(Unit::none);
}

/// What has been handed in. Any thread.
class FeedTable {
 public:
  explicit FeedTable(Nanoseconds age) : age_(age) {}

  void take(std::string_view text, Moment now) {
    auto line = sources::metric_line(text);
    const std::lock_guard lock(mutex_);
    if (!line) {
      ++refused_;
    } else if (line->kind == sources::MetricLine::Kind::sample) {
      take_sample(*line, now);
    } else if (line->kind != sources::MetricLine::Kind::other &&
               (about_.size() < kMostReadings || about_.contains(line->name))) {
      About& about = about_[line->name];
      (line->kind == sources::MetricLine::Kind::help ? about.title : about.unit) = line->text;
      changed_ = true;
    }
  }

  void refuse() {
    const std::lock_guard lock(mutex_);
    ++refused_;
  }

  std::vector<ReadingInfo> infos(const std::string& source) {
    const std::lock_guard lock(mutex_);
    changed_ = false;
    listed_.clear();
    std::vector<ReadingInfo> infos = {{"feed.refused", "Lines of the feed that were refused", "Refused", "Feed",
                                       DeviceKind::own, Unit::none, source}};
    for (const auto& [id, entry] : readings_) {
      const About about = about_.contains(entry.metric) ? about_.at(entry.metric) : About{};
      infos.push_back({id, about.title.empty() ? entry.metric : about.title, entry.metric, "Feed", DeviceKind::own,
                       unit_of(about.unit), source, -1, std::holds_alternative<std::string>(entry.value)});
      listed_.push_back(id);
    }
    return infos;
  }

  /// False if the list has changed.
  bool fill(Moment now, std::span<Value> values) const {
    const std::lock_guard lock(mutex_);
    if (!values.empty()) values[0] = static_cast<double>(refused_);
    for (std::size_t i = 0; i < listed_.size() && i + 1 < values.size(); ++i) {
      const Entry& entry = readings_.at(listed_[i]);
      const bool old = now - entry.at > age_;
      values[i + 1] =
          old ? Value(Missing{fmt::format("nothing was handed in for {:.0f} s", in_seconds(now - entry.at))})
              : entry.value;
    }
    return !changed_;
  }

 private:
  struct Entry {
    std::string metric;
    Value value;
    Moment at{};
  };
  struct About {
    std::string title, unit;
  };

  /// Label values as arguments of an id: "@shadow@two".
  static std::string arguments_of(const sources::MetricLine& line) {
    std::string arguments;
    for (const auto& [name, value] : line.labels) arguments += "@" + sources::as_id(value);
    return arguments;
  }

  /// Label values as a text: "quality, 2".
  static std::string text_of(const sources::MetricLine& line) {
    std::string text;
    for (const auto& [name, value] : line.labels) text += (text.empty() ? "" : ", ") + value;
    return text;
  }

  /// name_info{…} 1 is a text; anything else a number, labels as the argument of its id.
  void take_sample(const sources::MetricLine& line, Moment now) {
    constexpr std::string_view kInfo = "_info";
    const bool text = line.name.ends_with(kInfo) && line.value == 1 && !line.labels.empty();
    const std::string metric = text ? line.name.substr(0, line.name.size() - kInfo.size()) : line.name;
    std::string id = "feed." + sources::as_id(metric);
    if (!text) id += arguments_of(line);
    auto entry = readings_.find(id);
    if (entry == readings_.end()) {
      if (readings_.size() >= kMostReadings) {
        ++refused_;
        return;
      }
      entry = readings_.emplace(id, Entry{}).first;
      changed_ = true;
    }
    Value value = text ? Value(text_of(line)) : Value(line.value);
    changed_ = changed_ || value.index() != entry->second.value.index();
    entry->second = {metric, std::move(value), now};
  }

  mutable std::mutex mutex_;
  Nanoseconds age_;
  std::map<std::string, Entry> readings_;
  std::map<std::string, About, std::less<>> about_;
  std::vector<std::string> listed_;
  std::uint64_t refused_ = 0;
  bool changed_ = false;
};

/// Listens in a thread of its own.
class FeedServer {
 public:
  FeedServer(const std::filesystem::path& socket, FeedTable& table)
      : server_(
            socket, {.most_clients = limits::kFeedClients, .line_bytes = limits::kFeedLine},
            [&table](LineServer::Client, std::string_view line) { table.take(line, monotonic_now()); },
            [&table](LineServer::Client) { table.refuse(); }),
        stop_(::eventfd(0, EFD_CLOEXEC)),
        thread_(quiet_thread([this] { run(); })) {}
  FeedServer(const FeedServer&) = delete;
  FeedServer& operator=(const FeedServer&) = delete;
  ~FeedServer() {
    (void)::eventfd_write(stop_, 1);
    thread_.join();
    ::close(stop_);
  }

 private:
  void run() {
    pollfd waits[] = {{server_.descriptor(), POLLIN, 0}, {stop_, POLLIN, 0}};
    while ((waits[1].revents & POLLIN) == 0) {
      if (::poll(waits, 2, -1) > 0 && waits[0].revents != 0) server_.serve();
    }
  }

  LineServer server_;
  int stop_;
  std::thread thread_;
};

class FeedSource : public Source {
 public:
  explicit FeedSource(const FeedOptions& options)
      : socket_(options.socket), table_(options.age), server_(options.socket, table_) {}

  [[nodiscard]] std::string name() const override { return "feed"; }
  std::vector<ReadingInfo> discover() override { return table_.infos(socket_.string()); }
  [[nodiscard]] bool sample(Moment now, std::span<Value> values) override { return table_.fill(now, values); }

 private:
  std::filesystem::path socket_;
  FeedTable table_;
  FeedServer server_;
};

}  // namespace

std::unique_ptr<Source> feed_source(const FeedOptions& options) { return std::make_unique<FeedSource>(options); }

std::filesystem::path usual_feed_socket() { return runtime_folder() / "feed.sock"; }

}  // namespace idlemeter
