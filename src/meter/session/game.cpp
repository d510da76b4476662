#include "meter/session/game.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

#include "draw/pixels_of.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/frame_latency.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"
#include "meter/entrance/game_facts.hpp"
#include "meter/entrance/process.hpp"

namespace idlemeter::meter {
namespace {

namespace fs = std::filesystem;

constexpr std::uint32_t kLargestSide = 16384;
constexpr Color kTrouble{120, 24, 24, 220}, kStatus{20, 40, 72, 220};  // behind lines below the overlay

bool shows_traces(const Face& face) {
  bool shows = false;
  for_each_cell(face, [&](const Cell& cell) { shows = shows || cell.trace() != nullptr; });
  return shows;
}

/// "/home/otter/faces/mine.toml:3:1: error: …" -> "mine.toml:3:1: error: …"
std::string first_line(const std::string& mistake) {
  std::string text = mistake.substr(0, mistake.find('\n'));
  if (const std::size_t slash = text.rfind('/', text.find(':')); slash != std::string::npos) text.erase(0, slash + 1);
  return text;
}

}  // namespace

std::optional<Nanoseconds> WindowChoice::interval(const link::FrameEntry& frame) {
  if (frame.after_pause != 0 && frame.drawable == main_) pause();
  if (frame.drawable == main_ && last_) {
    other_frames_ = 0;
    return frame.present - *std::exchange(last_, frame.present);
  }
  const bool again = frame.drawable == other_ && other_frames_ > 0;
  const Moment before = std::exchange(other_last_, frame.present);
  other_ = frame.drawable;
  other_frames_ = again ? other_frames_ + 1 : 1;
  if (last_ && other_frames_ < 2) return std::nullopt;
  main_ = other_;
  last_ = frame.present;
  other_frames_ = 0;
  return again ? std::optional(frame.present - before) : std::nullopt;
}

void WindowChoice::pause() {
  last_.reset();
  other_frames_ = 0;
}

WatchedFace::WatchedFace(fs::path file, std::string name)
    : file_(std::move(file)), name_(name.empty() ? file_.path().string() : std::move(name)) {
  (void)look();
}

bool WatchedFace::look() {
  if (!file_.has_changed()) return false;
  const bool has_face = !face_.rows.empty() || !face_.pins.empty();
  if (!file_.is_there() && has_face) return false;  // being saved: an editor moves a file away for a moment
  try {
    face_ = load_face(file_.path());
    mistake_.clear();
  } catch (const Error& error) {
    mistake_ = error.what();
  }
  return true;
}

Game::Game(std::unique_ptr<Attachment> attachment, WatchedFace face, const std::vector<ComputedReading>& computed,
           std::string name)
    : attachment_(std::move(attachment)),
      program_(program_of(pid())),
      name_(name.empty() ? program_.name : std::move(name)),
      hash_(sha256_of(program_.loader.empty() ? fmt::format("/proc/{}/exe", pid()) : program_.file.string())),
      face_(std::move(face)),
      live_(computed) {
  note_face();
}

void Game::note_face() {
  live_.ask(readings_of(face_.face()));
  has_traces_ = shows_traces(face_.face());
  last_ = {};
}

void Game::set_face(WatchedFace face) {
  face_ = std::move(face);
  note_face();
}

BackgroundRecorder::MoreDetails Game::slow_facts() const {
  return [hash = hash_] {
    RunDetails details;
    details.facts = meter::slow_facts();
    if (!hash.get().empty()) details.facts["SHA-256"] = hash.get();
    return details;
  };
}

std::string Game::picture() const { return width_ == 0 ? "" : fmt::format("{}x{}", width_, height_); }

const std::vector<FrameRecord>& Game::drain(Moment now) {
  arrived_.clear();
  counted_.clear();
  note_size(attachment_->size());
  if (const std::uint32_t lost = attachment_->drain(arrived_); lost > 0) {
    lost_ += lost;
    window_.pause();
  }
  drop_surplus(now);
  for (const link::FrameEntry& frame : arrived_) take(frame, now);
  live_.add(counted_);
  return counted_;
}

/// A game that presents more than can be kept would take all of the meter's time and memory. What was saved up while
/// the meter was stopped isn't surplus.
void Game::drop_surplus(Moment now) {
  const double seconds = drained_ ? in_seconds(now - *drained_) : 0;
  drained_ = now;
  allowance_ = std::clamp(allowance_ + seconds * limits::kFramesPerSecond, 0.0, double{link::kRingCapacity});
  const auto most = static_cast<std::size_t>(allowance_);
  if (arrived_.size() > most) {
    lost_ += arrived_.size() - most;
    arrived_.resize(most);
    window_.pause();
  }
  allowance_ -= static_cast<double>(arrived_.size());
}

void Game::keep_for_recording(Moment since) {
  constexpr std::size_t kMost = limits::kFramesPerSecond;
  std::copy_if(counted_.begin(), counted_.end(), std::back_inserter(early_),
               [&](const FrameRecord& frame) { return frame.at - frame.interval >= since; });
  if (early_.size() > kMost) early_.erase(early_.begin(), early_.end() - static_cast<std::ptrdiff_t>(kMost));
}

void Game::begin_recording(RunSink& sink, Moment since, std::optional<Moment> until) {
  std::erase_if(early_, [&](const FrameRecord& frame) { return frame.at - frame.interval < since; });
  live_.begin_recording(&sink, since, until, std::exchange(early_, {}));
}

std::optional<Moment> Game::early_since() const {
  return early_.empty() ? std::nullopt : std::optional(early_.front().at - early_.front().interval);
}

void Game::set_notice(const std::string& notice) {
  if (notice != notice_) last_ = {};
  notice_ = notice;
}

void Game::set_status(const std::string& status) {
  if (status != status_) last_ = {};
  status_ = status;
}

void Game::note_size(Attachment::Size size) {
  if (size.width == 0 || size.height == 0 || size.width > kLargestSide || size.height > kLargestSide) return;
  width_ = static_cast<int>(size.width);
  height_ = static_cast<int>(size.height);
}

void Game::take(const link::FrameEntry& entry, Moment now) {
  ++presents_;
  note_size({entry.width, entry.height});
  // Windows present on threads of their own, so that one may come a little late; a clock's reading may be a little
  // ahead.
  if (entry.present <= Moment{} || entry.present > now + kSecond || entry.present < newest_ - kSecond) {
    ++refused_;
    return;
  }
  newest_ = std::max(newest_, entry.present);
  const auto interval = window_.interval(entry);
  if (!interval || *interval <= Nanoseconds{}) return;
  const auto known = [](Nanoseconds time) {
    return time > Nanoseconds{} && time <= kLongestFrame ? time : kUnknownTime;
  };
  const FrameRecord frame{entry.present, *interval, known(entry.gpu_work)};
  const FrameLatency latency{entry.present, known(entry.latency), known(entry.on_screen)};
  if (latency.gpu != kUnknownTime || latency.screen != kUnknownTime) live_.add(latency);
  frame_times_.add(frame.interval);
  if (!first_frame_) first_frame_ = frame.at - frame.interval;
  counted_.push_back(frame);
}

void Game::look_at_face() {
  if (face_.look()) note_face();
}

void Game::update(const Snapshot& machine, Moment now, LiveReadings::Past past) {
  GameInfo info{name_, attachment_->api(), picture()};
  if (info != info_) live_.set_game(info_ = std::move(info));
  live_.update(machine, now, past);
}

namespace {

/// As many characters as fit by the width of an average one, and then fewer until they do; at least 4.
std::string fitted(std::string text, const TextStyle& style, double room, Painter& painter) {
  constexpr std::size_t kLeast = 4;
  const double width = painter.measure(text, style).width;
  if (width > room) {
    const double most = room / width * 1.2 * static_cast<double>(characters(text));
    text = cut_to(text, std::max(kLeast, static_cast<std::size_t>(most)));
  }
  while (characters(text) > kLeast && painter.measure(text, style).width > room)
    text = cut_to(text, characters(text) * 9 / 10);
  return text;
}

Rect around_both(const Rect& a, const Rect& b) {
  const double left = std::min(a.x, b.x), top = std::min(a.y, b.y);
  return {left, top, std::max(a.x + a.width, b.x + b.width) - left, std::max(a.y + a.height, b.y + b.height) - top};
}

}  // namespace

/// A line below the overlay, or above it if there is no room.
void Game::add_line(Scene& scene, Painter& painter, std::string text, Color ground) const {
  if (text.empty()) return;
  const TextStyle style{"sans", std::max(10.0, std::round(scene.height / 72.0)), false};
  text = fitted(printable(text), style, std::max(40.0, scene.width - 40.0), painter);
  const TextExtent extent = painter.measure(text, style);
  const double high = std::ceil(extent.ascent + extent.descent) + 6;
  Rect& bounds = scene.bounds;
  const double below = bounds.y + bounds.height + 4;
  const Rect box{std::clamp(bounds.x, 4.0, std::max(4.0, scene.width - extent.width - 16)),
                 below + high < scene.height ? below : std::max(0.0, bounds.y - high - 4), std::ceil(extent.width) + 12,
                 high};
  scene.shapes.emplace_back(BoxShape{box, ground, 4});
  scene.shapes.emplace_back(
      TextShape{text, style, {255, 255, 255, 255}, box.x + 6, std::round(box.y + 3 + extent.ascent), Edge::none});
  bounds = around_both(bounds, box);
}

void Game::redraw(Painter& painter) {
  if (!has_picture() || !attachment_->takes_pictures()) return;
  Scene scene = lay_out(face_.face(), width_, height_, live_.values(), live_.history(), painter);
  add_line(scene, painter, first_line(face_.mistake()), kTrouble);
  add_line(scene, painter, notice_, kTrouble);
  add_line(scene, painter, status_, kStatus);
  if (too_much_) add_line(scene, painter, "this face has more to paint than an overlay may", kTrouble);
  if (scene == last_) return;
  ImagePart part = draw::pixels_of(scene.bounds, width_, height_);
  constexpr std::int64_t kMostPixels = link::kSlotBytes / 4;
  if (std::int64_t{part.width} * part.height > kMostPixels) part.height = static_cast<int>(kMostPixels / part.width);
  Image image(part.width, part.height);
  too_much_ = painter.draw(scene, image, part.x, part.y) > 0;
  attachment_->publish(image, part.x, part.y);
  last_ = std::move(scene);
}

}  // namespace idlemeter::meter
