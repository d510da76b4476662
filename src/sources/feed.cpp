// Numbers that other programs hand in.
#include <fmt/format.h>
#include <unistd.h>
#include <uv.h>

#include <algorithm>
#include <cstdlib>
#include <map>
#include <mutex>
#include <thread>

#include "idlemeter/error.hpp"
#include "idlemeter/limits.hpp"
#include "idlemeter/own_readings.hpp"
#include "sources/kernel_file.hpp"
#include "sources/open_metrics.hpp"
#include "sources/private_socket.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kMostReadings = limits::kFeedReadings, kLongestLine = limits::kFeedLine,
                      kMostClients = limits::kFeedClients;

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

  void take(std::string_view text, Nanoseconds now) {
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

  /// False where the list has changed.
  bool fill(Nanoseconds now, std::span<Value> values) const {
    const std::lock_guard lock(mutex_);
    if (!values.empty()) values[0] = static_cast<double>(refused_);
    for (std::size_t i = 0; i < listed_.size() && i + 1 < values.size(); ++i) {
      const Entry& entry = readings_.at(listed_[i]);
      const bool old = now - entry.at > age_;
      values[i + 1] = old ? Value(Missing{fmt::format("nothing was handed in for {:.0f} s",
                                                      static_cast<double>(now - entry.at) / kSecond)})
                          : entry.value;
    }
    return !changed_;
  }

 private:
  struct Entry {
    std::string metric;
    Value value;
    Nanoseconds at = 0;
  };
  struct About {
    std::string title, unit;
  };

  static std::string joined(const sources::MetricLine& line, bool as_ids) {
    std::string text;
    for (const auto& [name, value] : line.labels)
      text += (text.empty() ? "" : as_ids ? "," : ", ") + (as_ids ? sources::as_id(value) : value);
    return text;
  }

  /// name_info{…} 1 is a text; anything else a number, labels as the argument of its id.
  void take_sample(const sources::MetricLine& line, Nanoseconds now) {
    constexpr std::string_view kInfo = "_info";
    const bool text = line.name.ends_with(kInfo) && line.value == 1 && !line.labels.empty();
    const std::string metric = text ? line.name.substr(0, line.name.size() - kInfo.size()) : line.name;
    std::string id = "feed." + sources::as_id(metric);
    if (!text && !line.labels.empty()) id += "@" + joined(line, true);
    auto entry = readings_.find(id);
    if (entry == readings_.end()) {
      if (readings_.size() >= kMostReadings) {
        ++refused_;
        return;
      }
      entry = readings_.emplace(id, Entry{}).first;
      changed_ = true;
    }
    Value value = text ? Value(joined(line, false)) : Value(line.value);
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

/// The event loop that listens, in a thread of its own. Its callbacks run there; everything else in the owner's thread.
class FeedServer {
 public:
  FeedServer(const std::filesystem::path& socket, FeedTable& table) : table_(table), path_(socket) {
    const int listening = sources::listen_privately(socket);
    uv_loop_init(&loop_);
    uv_pipe_init(&loop_, &listener_, 0);
    uv_async_init(&loop_, &stop_, [](uv_async_t* handle) { static_cast<FeedServer*>(handle->data)->close_all(); });
    listener_.data = stop_.data = this;
    uv_pipe_open(&listener_, listening);
    uv_listen(reinterpret_cast<uv_stream_t*>(&listener_), 16, [](uv_stream_t* stream, int status) {
      if (status == 0) static_cast<FeedServer*>(stream->data)->accept();
    });
    thread_ = std::thread([this] { uv_run(&loop_, UV_RUN_DEFAULT); });
  }
  FeedServer(const FeedServer&) = delete;
  FeedServer& operator=(const FeedServer&) = delete;
  ~FeedServer() {
    uv_async_send(&stop_);
    thread_.join();
    uv_loop_close(&loop_);
    std::error_code ignored;
    std::filesystem::remove(path_, ignored);
  }

 private:
  struct Client {
    uv_pipe_t pipe;
    FeedServer* server;
    std::string line;       // what has come of it so far
    bool too_long = false;  // the rest of it is passed over
    char buffer[16'384];
  };

  static uv_handle_t* handle(auto& of) { return reinterpret_cast<uv_handle_t*>(&of); }

  void accept() {
    auto client = std::make_unique<Client>();
    client->server = this;
    uv_pipe_init(&loop_, &client->pipe, 0);
    client->pipe.data = client.get();
    auto* stream = reinterpret_cast<uv_stream_t*>(&client->pipe);
    clients_.push_back(std::move(client));
    uv_os_fd_t file = -1;
    const bool fine = uv_accept(reinterpret_cast<uv_stream_t*>(&listener_), stream) == 0 &&
                      uv_fileno(handle(*stream), &file) == 0 && clients_.size() <= kMostClients &&
                      sources::peer_is_this_user(file);
    if (!fine) return close(*clients_.back());
    uv_read_start(stream, &give_buffer, &on_read);
  }

  static void give_buffer(uv_handle_t* handle, std::size_t, uv_buf_t* buffer) {
    auto* client = static_cast<Client*>(handle->data);
    *buffer = uv_buf_init(client->buffer, sizeof client->buffer);
  }

  static void on_read(uv_stream_t* stream, ssize_t got, const uv_buf_t* buffer) {
    auto* client = static_cast<Client*>(stream->data);
    if (got > 0) client->server->take(*client, {buffer->base, static_cast<std::size_t>(got)});
    if (got >= 0) return;
    if (!client->line.empty()) client->server->table_.refuse();  // unfinished
    client->server->close(*client);
  }

  void take(Client& client, std::string_view bytes) {
    const Nanoseconds now = monotonic_now();
    while (!bytes.empty()) {
      const std::size_t end = std::min(bytes.find('\n'), bytes.size());
      if (!client.too_long) client.line.append(bytes.substr(0, std::min(end, kLongestLine + 1 - client.line.size())));
      client.too_long = client.line.size() > kLongestLine;
      if (end == bytes.size()) return;
      client.too_long ? table_.refuse() : table_.take(client.line, now);
      client.line.clear();
      client.too_long = false;
      bytes.remove_prefix(end + 1);
    }
  }

  void close(Client& client) {
    if (uv_is_closing(handle(client.pipe)) != 0) return;
    uv_close(handle(client.pipe), [](uv_handle_t* closed) {
      auto* gone = static_cast<Client*>(closed->data);
      std::erase_if(gone->server->clients_, [gone](const auto& client) { return client.get() == gone; });
    });
  }

  void close_all() {
    for (const auto& client : clients_) close(*client);
    uv_close(handle(listener_), nullptr);
    uv_close(handle(stop_), nullptr);
  }

  FeedTable& table_;
  std::filesystem::path path_;
  uv_loop_t loop_{};
  uv_pipe_t listener_{};
  uv_async_t stop_{};
  std::vector<std::unique_ptr<Client>> clients_;
  std::thread thread_;
};

class FeedSource : public Source {
 public:
  explicit FeedSource(const FeedOptions& options)
      : socket_(options.socket), table_(options.age.count()), server_(options.socket, table_) {}

  [[nodiscard]] std::string name() const override { return "feed"; }
  std::vector<ReadingInfo> discover() override { return table_.infos(socket_.string()); }
  [[nodiscard]] bool sample(Nanoseconds now, std::span<Value> values) override { return table_.fill(now, values); }

 private:
  std::filesystem::path socket_;
  FeedTable table_;
  FeedServer server_;
};

}  // namespace

std::unique_ptr<Source> feed_source(const FeedOptions& options) { return std::make_unique<FeedSource>(options); }

std::filesystem::path usual_feed_socket() { return sources::runtime_folder() / "feed.sock"; }

}  // namespace idlemeter
