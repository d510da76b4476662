// Idle Meter: what a call throws when it cannot do its work.
#pragma once

#include <cstdint>
#include <optional>
#include <stdexcept>
#include <string>
#include <string_view>

namespace idlemeter {

/// A failure that a person can fix. `what()` reads "WHERE: PROBLEM; FIX", without the parts that are empty:
/// "runs.db: not an Idle Meter store (file is not a database); name another file".
///
/// The library throws nothing else on purpose. It throws while something is set up (a file is opened, a
/// face is read). The running loop never throws: a source that fails is a reading that is missing, with its reason.
/// What is wrong with data is a result: findings of a face, problems of a store, a missing value.
class Error : public std::runtime_error {
 public:
  /// What a program may want to know of it; the words are for people.
  enum class Code : std::uint8_t {
    misuse,       ///< a call that breaks its contract: a share of 200 %, a comparison without runs
    invalid,      ///< a text or a value can't be right: a face, an option, a formula
    not_found,    ///< there is no such file, face, run, meter
    exists,       ///< it would overwrite something
    unreadable,   ///< a file can't be read, or isn't what it should be
    unwritable,   ///< a file can't be written
    in_use,       ///< another program has it: a store that stays locked, a socket, a game
    damaged,      ///< a store that was one and can't be read any further
    newer,        ///< made by a newer version
    moved,        ///< a store that was moved, replaced or removed while it was in use
    refused,      ///< not in this state: nothing is being recorded that could be stopped
    unavailable,  ///< this machine lacks it, or it doesn't answer: a display, an extension, a meter
    failed        ///< another program or the system failed: FFmpeg, gnuplot, a socket
  };

  /// What fixes the error, for a front that has its own words for it: an option, a command, a button.
  enum class Hint : std::uint8_t {
    none,
    another_store,    ///< name another file for the store
    list_runs,        ///< look at which runs there are
    list_tags,        ///< look at which tags runs have
    list_removed,     ///< look at which runs were removed
    restore_run,      ///< put it back
    run_readings,     ///< look at which readings a run has
    log_readings,     ///< name readings to plot
    run_settings,     ///< give runs settings
    frame_time,       ///< name a log's column of frame times
    frame_unit,       ///< name the unit of its frame times
    moments,          ///< name a log's column of moments
    moment_unit,      ///< name the unit of its moments
    gpu_work_unit,    ///< name the unit of its GPU times
    table_time,       ///< name a table's column of moments, or its pace
    table_format,     ///< name a table's column of moments and its delimiter
    another_port,     ///< choose another address or port
    pack_face,        ///< pack a face as a bundle
    own_face,         ///< make a face of one's own from a starter
    list_faces,       ///< look at which faces there are
    record,           ///< start a recording
    play_game,        ///< start a game with the meter, or attach to it from above its window
    take_over,        ///< control the other meter, or take its game over
    no_window_above,  ///< play without a window above the game
    shortcuts,        ///< control the meter by the desktop's own shortcuts
    list_commands     ///< look at which commands a meter takes
  };

  Error(Code code, const std::string& problem, const std::string& where = {}, const std::string& fix = {},
        Hint hint = Hint::none)
      : std::runtime_error((where.empty() ? "" : where + ": ") + problem + (fix.empty() ? "" : "; " + fix)),
        code_(code),
        hint_(hint),
        problem_(problem),
        where_(where),
        fix_(fix) {}

  [[nodiscard]] Code code() const noexcept { return code_; }
  [[nodiscard]] Hint hint() const noexcept { return hint_; }
  [[nodiscard]] const std::string& problem() const noexcept { return problem_; }
  [[nodiscard]] const std::string& where() const noexcept { return where_; }
  [[nodiscard]] const std::string& fix() const noexcept { return fix_; }

 private:
  Code code_;
  Hint hint_;
  std::string problem_, where_, fix_;
};

/// "misuse", "not found", …
[[nodiscard]] std::string_view name_of(Error::Code code);

/// Empty if no code has that name.
[[nodiscard]] std::optional<Error::Code> error_code_from(std::string_view name);

}  // namespace idlemeter
