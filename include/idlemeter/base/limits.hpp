// Idle Meter: how much of everything there may be. docs/limits.md says what happens beyond each.
#pragma once

#include <cstddef>
#include <cstdint>

namespace idlemeter::limits {

// A face or a settings file.
inline constexpr std::size_t kTomlBytes = 256 << 10;
inline constexpr std::size_t kTomlNesting = 32;     ///< of brackets, and of dots in one key
inline constexpr std::size_t kFindings = 100;       ///< mistakes that are reported of one file
inline constexpr std::size_t kRows = 200;           ///< of a face
inline constexpr std::size_t kCells = 1'000;        ///< of all its rows together
inline constexpr std::size_t kPins = 200;           ///< of a face
inline constexpr std::size_t kTraces = 64;          ///< of a face
inline constexpr std::size_t kGuides = 8;           ///< of a trace
inline constexpr std::size_t kSpans = 16;           ///< different ones that a face's statistics cover
inline constexpr std::uint32_t kFormatNumber = 60;  ///< width or precision in a {reading:format}
inline constexpr std::size_t kOwnReadings = 200;    ///< computed ones and commands, of the settings
inline constexpr std::size_t kButtons = 32;         ///< of input devices, of the settings

// What is drawn.
inline constexpr std::size_t kTextCharacters = 1'000;             ///< of one text; the rest is "…"
inline constexpr double kTextSize = 1'024;                        ///< pixels; larger text is drawn at this size
inline constexpr std::size_t kTextPixels = std::size_t{4} << 20;  ///< of one text; what is right of them isn't drawn
inline constexpr std::size_t kScenePixels = std::size_t{64}
                                            << 20;  ///< painted for one overlay, each as often as it is covered

// Pictures, as PNG files.
inline constexpr std::size_t kPictureBytes = std::size_t{16} << 20;
inline constexpr std::uint32_t kPictureSide = 16'384;
inline constexpr std::size_t kPicturePixels = std::size_t{64} << 20;      ///< of a screenshot or another ground
inline constexpr std::size_t kFacePicturePixels = std::size_t{16} << 20;  ///< of all that a face shows together

// A live session.
inline constexpr std::size_t kGames = 64;
inline constexpr std::size_t kSilentPeers = 16;  ///< connected to the link without having said what they are
inline constexpr std::size_t kClients = 16;      ///< connected to the control socket
inline constexpr std::size_t kCommandBytes = 64 << 10;
inline constexpr std::size_t kWatchers = 8;                          ///< clients that are sent updates
inline constexpr std::size_t kWatchedFrames = 16'384;                ///< of one game, waiting for a watcher
inline constexpr std::size_t kUpdateBytes = std::size_t{64} << 20;   ///< of one update, as a watcher takes it
inline constexpr std::size_t kFramesPerSecond = 20'000;              ///< of one game; more are counted as lost
inline constexpr std::size_t kFramesOfSpan = std::size_t{16} << 20;  ///< of one that grows: 31 hours at 150 FPS
inline constexpr std::size_t kFramesToWrite = std::size_t{1} << 20;  ///< of a recording, waiting for the disk
inline constexpr std::size_t kSamplesToWrite = 1'200;  ///< of a recording's readings, waiting for the disk

// A store, a run file, a frame log.
inline constexpr std::size_t kStoreRow = std::size_t{256} << 20;  ///< bytes of one row
inline constexpr std::size_t kRunsOfStore = 100'000;
inline constexpr std::size_t kNotesOfStore = 5'000'000;  ///< tags, facts and settings of all runs together
inline constexpr std::size_t kReadingsOfRun = 10'000;
inline constexpr std::size_t kFramesOfRun = std::size_t{16} << 20;  ///< 31 hours at 150 FPS
inline constexpr std::size_t kNumbersOfRun = 8'000'000;  ///< values of readings, and as many as the next allows
inline constexpr std::size_t kValuesPerByte = 256;       ///< more for each byte that they are packed in
inline constexpr std::size_t kNoteBytes = 64 << 10;      ///< of all notes of a run together
inline constexpr std::uint64_t kUnpackedBytes = std::uint64_t{32}
                                                << 20;      ///< of a packed log, and as many as the next allows
inline constexpr std::uint64_t kUnpackedPerByte = 200;      ///< more for each packed byte
inline constexpr std::uint64_t kStepsOfQuery = 50'000'000;  ///< of SQLite's machine, and as many as the next allows
inline constexpr std::uint64_t kStepsPerByte = 10;          ///< more for each byte of the file

// What browsers and monitoring systems ask.
inline constexpr std::size_t kHttpBody = std::size_t{80} << 20;     ///< bytes; most questions take far fewer
inline constexpr std::size_t kHttpBodies = std::size_t{160} << 20;  ///< bytes of all bodies that are read at once
inline constexpr std::size_t kHttpHead = std::size_t{64} << 10;     ///< bytes of a request before its body
inline constexpr std::size_t kHttpPacked = std::size_t{1} << 20;    ///< bytes; larger answers aren't compressed
inline constexpr std::size_t kHttpStreams = 16;                     ///< pages that are sent events

// The feed.
inline constexpr std::size_t kFeedReadings = 1'000;
inline constexpr std::size_t kFeedLine = 4'096;  ///< bytes
inline constexpr std::size_t kFeedClients = 64;

}  // namespace idlemeter::limits
