// One game: its frames, and the overlay that it is given.
#pragma once

#include <filesystem>
#include <future>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/base/watched_file.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "meter/entrance/process.hpp"
#include "meter/session/attachment.hpp"

namespace idlemeter::meter {

/// Takes the frames of one window: the one that presents. A game may open another, or replace its window; the newcomer
/// counts once it has presented twice without the one before doing so.
class WindowChoice {
 public:
  /// The interval since the window's last present; empty if there was none, or if another window presents.
  std::optional<Nanoseconds> interval(const link::FrameEntry& frame);

  /// What was presented meanwhile isn't known: no interval leads over it.
  void pause();

 private:
  std::uint32_t main_ = 0;
  std::optional<Moment> last_;
  std::uint32_t other_ = 0;
  Moment other_last_{};
  int other_frames_ = 0;
};

/// A face file with its last good face.
class WatchedFace {
 public:
  explicit WatchedFace(std::filesystem::path file, std::string name = {});

  /// Reads the file if it was saved since. True if there is something new: another face, or a mistake.
  bool look();

  [[nodiscard]] const Face& face() const { return face_; }
  [[nodiscard]] const std::filesystem::path& file() const { return file_.path(); }

  /// What the user calls it; the file's path if that is all that is known.
  [[nodiscard]] const std::string& name() const { return name_; }

  /// What is wrong with the file as it is now; empty if it holds the face.
  [[nodiscard]] const std::string& mistake() const { return mistake_; }

 private:
  WatchedFile file_;
  std::string name_;
  Face face_;
  std::string mistake_;
};

/// One thread at a time. Impossible times (before the frames that came, or in the future) are refused and counted,
/// and so is what is more than limits::kFramesPerSecond.
class Game {
 public:
  /// `computed`: the user's own readings, which can be read. `name`: the game's; empty: that of its program.
  Game(std::unique_ptr<Attachment> attachment, WatchedFace face, const std::vector<ComputedReading>& computed,
       std::string name = {});

  [[nodiscard]] Attachment& attachment() { return *attachment_; }
  [[nodiscard]] const Attachment& attachment() const { return *attachment_; }
  [[nodiscard]] pid_t pid() const { return attachment_->pid(); }
  [[nodiscard]] const std::string& name() const { return name_; }
  [[nodiscard]] const ProgramOfProcess& program() const { return program_; }
  [[nodiscard]] bool has_picture() const { return width_ > 0; }
  [[nodiscard]] std::string picture() const;  ///< "1920x1080"; empty if it isn't known
  [[nodiscard]] std::uint64_t presents() const { return presents_; }
  /// Presents that were overwritten before they could be read, or were too many.
  [[nodiscard]] std::uint64_t lost() const { return lost_; }
  /// Presents with impossible times.
  [[nodiscard]] std::uint64_t refused() const { return refused_; }
  [[nodiscard]] Summary whole() const { return live_.whole(); }
  [[nodiscard]] const FrameHistogram& frame_times() const { return frame_times_; }
  [[nodiscard]] LiveReadings& live() { return live_; }
  [[nodiscard]] const LiveReadings& live() const { return live_; }
  [[nodiscard]] const WatchedFace& face() const { return face_; }

  /// Facts that take a while, in addition to those of facts_of().
  [[nodiscard]] BackgroundRecorder::MoreDetails slow_facts() const;

  void set_face(WatchedFace face);

  /// Takes the frames that have come by now, and returns those that count.
  const std::vector<FrameRecord>& drain(Moment now);

  /// Keeps those of the frames just drained that began since then, for a recording that begins with them: up to a
  /// second's worth of limits::kFramesPerSecond, the newest.
  void keep_for_recording(Moment since);

  /// Starts a recording that begins with the frames that were kept since then. See LiveReadings.
  void begin_recording(RunSink& sink, Moment since, std::optional<Moment> until);

  /// The start of the first frame that is kept; empty if none is.
  [[nodiscard]] std::optional<Moment> early_since() const;

  /// When its first frame began; empty before.
  [[nodiscard]] std::optional<Moment> first_frame() const { return first_frame_; }

  /// A line to show with the overlay, such as why nothing is recorded; empty: none.
  void set_notice(const std::string& notice);

  /// What is planned or in progress, a line below the overlay; empty: nothing.
  void set_status(const std::string& status);

  /// Reads the face again if its file was saved.
  void look_at_face();

  /// Joins the machine's values with the game's own.
  void update(const Snapshot& machine, Moment now, LiveReadings::Past past);

  /// Lays the values out and hands over a new picture, if it is another than the last.
  void redraw(Painter& painter);

  [[nodiscard]] bool has_traces() const { return has_traces_; }

 private:
  void take(const link::FrameEntry& frame, Moment now);
  void drop_surplus(Moment now);
  void note_size(Attachment::Size size);
  void note_face();
  void add_line(Scene& scene, Painter& painter, std::string text, Color ground) const;

  std::unique_ptr<Attachment> attachment_;
  ProgramOfProcess program_;
  std::string name_;
  std::shared_future<std::string> hash_;
  WatchedFace face_;
  LiveReadings live_;
  GameInfo info_;  // as live_ has it
  FrameHistogram frame_times_;
  WindowChoice window_;
  std::vector<link::FrameEntry> arrived_;
  std::vector<FrameRecord> counted_;
  std::vector<FrameRecord> early_;
  std::uint64_t presents_ = 0, lost_ = 0, refused_ = 0;
  Moment newest_{};
  std::optional<Moment> first_frame_;
  std::optional<Moment> drained_;
  double allowance_ = link::kRingCapacity;  // of presents that may come now
  std::string notice_, status_;
  bool too_much_ = false;  // the overlay has more to paint than may be
  int width_ = 0, height_ = 0;
  bool has_traces_ = false;
  Scene last_;
};

}  // namespace idlemeter::meter
