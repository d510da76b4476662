#include "runs/tables/log_heading.hpp"

#include <algorithm>
#include <initializer_list>
#include <string_view>
#include <vector>

#include "idlemeter/base/text.hpp"

namespace idlemeter::runs {
namespace {

/// "Framerate", "frame_rate", "Frames/s", "FPS (avg)"
bool is_rate(const std::string& heading) {
  std::string letters;
  for (const char c : lower_case(heading)) {
    if (c >= 'a' && c <= 'z') letters += c;
  }
  return letters.find("framerate") != std::string::npos || letters.find("fps") != std::string::npos ||
         letters.starts_with("framesper") || letters == "framess" || letters == "framessec";
}

}  // namespace

Heading read_heading(const std::string& text) {
  if (is_rate(text)) return {.core = "fps", .unit = LogUnit::frames_per_second};
  std::vector<std::string> words(1);
  for (const char c : lower_case(text)) {
    const bool separates = std::string_view(" _-.:/()[]{}").find(c) != std::string_view::npos;
    if (!separates) words.back() += c;
    if (separates && !words.back().empty()) words.emplace_back();
  }
  if (words.back().empty() && words.size() > 1) words.pop_back();
  Heading heading;
  // The unit stands at an end: "frame time (ms)", "ms between frames". A column that is only called "s" is one too.
  if (const auto last = log_unit_from(words.back()); last && words.size() > 1) {
    heading.unit = last;
    words.pop_back();
  } else if (const auto first = log_unit_from(words.front()); first && words.size() > 1) {
    heading.unit = first;
    words.erase(words.begin());
  }
  for (const std::string& word : words) heading.core += word;
  return heading;
}

Role role_of(const Heading& heading) {
  const std::string& core = heading.core;
  const auto has = [&](const char* word) { return core.find(word) != std::string::npos; };
  const auto is_one_of = [&](std::initializer_list<const char*> words) {
    return std::find(words.begin(), words.end(), core) != words.end();
  };
  if (core == "run") return Role::split;
  if (is_one_of({"gpuwork", "gputime", "gpuworktime", "gpuframetime"})) return Role::gpu_work;
  if (has("gpu") || has("cpu")) return Role::none;
  if (is_one_of({"frametime", "frametimes", "frameinterval", "interval"})) return Role::frame_time;
  if (is_one_of({"time", "timestamp", "elapsed", "elapsedtime", "presented", "presenttime", "presentedat", "at"}))
    return Role::time;
  if ((has("frame") && has("time")) || (has("between") && (has("frame") || has("present"))))
    return Role::maybe_frame_time;
  return Role::none;
}

}  // namespace idlemeter::runs
