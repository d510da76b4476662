// Idle Meter: the user's settings, a TOML file (docs/settings.md).
#pragma once

#include <chrono>
#include <cstdint>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/sources/command_source.hpp"
#include "idlemeter/sources/feed.hpp"

namespace idlemeter {

/// Which face the games get whose executable fits a shell pattern (*, ?, […]; upper and lower case alike): its name, or
/// its whole path if the pattern has a '/'.
struct GameRule {
  std::string program;
  std::string face;
};

/// Keys by what they do, like "Ctrl+Alt+O": Shift, Ctrl, Alt and Super, and a key by its xkb name. Empty: none.
struct KeyChoices {
  std::string show = "Ctrl+Alt+O";    ///< show or hide the overlay
  std::string clear = "Ctrl+Alt+C";   ///< restart the live statistics
  std::string record = "Ctrl+Alt+R";  ///< start or stop a recording
  std::string face = "Ctrl+Alt+F";    ///< the next face
  std::string mark = "Ctrl+Alt+M";    ///< set a mark in the recording
};

/// What a button does, like the key with the same name. In the order of KeyChoices.
enum class ButtonAction : std::uint8_t { show, clear, record, face, mark };

/// Buttons of an input device, like a game controller, to be pressed together (evdev).
struct ButtonChoice {
  std::filesystem::path device;  ///< like "/dev/input/by-id/…-event-joystick"; the user has to be able to read it
  std::vector<std::uint16_t> codes = {};  ///< of EV_KEY: linux/input-event-codes.h
  ButtonAction does = ButtonAction::show;
};

/// Whether a game's GPU is asked how long it works on frames: always, never, or unless a software rasteriser draws,
/// which has to stop for it and of which the figure means little.
enum class GpuTime : std::uint8_t { automatic, on, off };

/// "auto", "on", "off": as in the settings and in IDLEMETER_GPU_TIME, which the probe in the game reads.
[[nodiscard]] std::string_view name_of(GpuTime choice);

/// What holds for every recording.
struct RecordingChoices {
  bool hides_overlay = false;                        ///< while it is in progress
  std::map<std::string, std::string> settings = {};  ///< of every run, besides what is said when it starts
  std::vector<std::string> tags = {};
  std::string note = {};               ///< if none is given when it starts
  std::filesystem::path results = {};  ///< a CSV file that gets a line for each finished run; empty: none
  std::string figures = {};            ///< the set of figures that it gets; empty: the usual ones
};

/// How a cue is given to a player whose eyes are on the game.
enum class CueWay : std::uint8_t {
  tone,          ///< through the desktop's sound server
  notification,  ///< over the session bus
  speech         ///< through the speech dispatcher
};

/// How each cue is given; an empty list turns it off.
struct CueChoices {
  std::vector<CueWay> start = {CueWay::tone};  ///< of a recording
  std::vector<CueWay> end = {CueWay::tone};
  std::vector<CueWay> mark = {CueWay::tone};
  std::vector<CueWay> failure = {CueWay::tone, CueWay::notification};  ///< a recording couldn't go on, or start
};

struct Settings {
  Nanoseconds pace = std::chrono::milliseconds(500);
  std::map<std::string, Nanoseconds> paces = {};  ///< of single sources, by name
  std::map<std::string, std::string> facts = {};  ///< see MachineOptions::facts
  std::vector<ComputedReading> computed = {};
  std::vector<CommandReading> commands = {};
  std::optional<FeedOptions> feed = {};  ///< empty: no feed
  std::string face = {};                 ///< a kept face's, a starter's or a file's name, for games without a rule
  std::vector<GameRule> games = {};      ///< the first that fits counts
  std::filesystem::path store = {};      ///< the file that holds runs; empty: Store::usual_path()
  KeyChoices keys = {};
  std::vector<ButtonChoice> buttons = {};
  GpuTime gpu_time = GpuTime::automatic;
  RecordingChoices recording = {};
  std::map<std::string, std::vector<std::string>> figures = {};  ///< sets of figures by name, see FigureSet
  CueChoices cues = {};
};

/// All that a text holds, or all that is wrong with it.
struct SettingsParse {
  std::optional<Settings> settings;
  std::vector<Finding> findings;
};

/// Reads settings; never throws on what the text holds. Formulas are checked too.
[[nodiscard]] SettingsParse parse_settings(std::string_view toml);

/// Reads a settings file. Throws Error with every error in it, a line each, or saying that it can't be read.
[[nodiscard]] Settings load_settings(const std::filesystem::path& file);

/// The same; the defaults if the file doesn't exist.
[[nodiscard]] Settings settings_in(const std::filesystem::path& file);

/// $XDG_CONFIG_HOME/idlemeter/settings.toml, else ~/.config/idlemeter/settings.toml.
[[nodiscard]] std::filesystem::path usual_settings_path();

/// The settings of a file or, if none is named, of the usual one; the defaults if that doesn't exist. Throws Error as
/// load_settings().
[[nodiscard]] Settings usual_settings(const std::filesystem::path& file = {});

}  // namespace idlemeter
