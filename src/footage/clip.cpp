#include "idlemeter/footage/clip.hpp"

#include <fmt/format.h>

#include <cmath>
#include <cstdint>
#include <cstring>
#include <nlohmann/json.hpp>
#include <string>

#include "footage/clip_input.hpp"
#include "footage/tool.hpp"
#include "idlemeter/base/error.hpp"

namespace idlemeter {
namespace {

using Json = nlohmann::json;
using footage::clip_input;
using footage::Tool;

/// "60000/1001"
std::optional<PictureRate> rate_in(const std::string& text) {
  PictureRate rate;
  const std::size_t slash = text.find('/');
  if (slash == std::string::npos) return std::nullopt;
  rate.count = std::atoll(text.c_str());
  rate.seconds = std::atoll(text.c_str() + slash + 1);
  if (rate.count < 1 || rate.seconds < 1 || rate.count / rate.seconds > 1'000) return std::nullopt;
  return rate;
}

[[noreturn]] void fail(const std::filesystem::path& file, const std::string& problem) {
  throw Error(Error::Code::unreadable, problem, file.string(), "name a video clip that plays");
}

/// A quarter turn is said beside the pictures.
bool is_turned(const Json& stream) {
  double degrees = 0;
  for (const Json& one : stream.value("side_data_list", Json::array())) degrees += one.value("rotation", 0.0);
  return std::lround(std::abs(degrees)) % 180 == 90;
}

}  // namespace

std::vector<std::string> footage::clip_input(const std::filesystem::path& file) {
  // Playlists, scripts and lists of pictures open other files; these containers hold what they show.
  constexpr const char* kContainers = "mov,mp4,matroska,webm,avi,mpegts,flv";
  return {"-protocol_whitelist", "file", "-format_whitelist", kContainers, "-i", "file:" + file.string()};
}

namespace {

/// As ffprobe describes it.
Clip clip_of(const Json& said, const std::filesystem::path& file) {
  if (said.is_discarded() || !said.is_object()) fail(file, "ffprobe says nothing of it");
  Clip clip{.file = file};
  for (const Json& stream : said.value("streams", Json::array())) {
    const std::string kind = stream.value("codec_type", "");
    clip.has_sound = clip.has_sound || kind == "audio";
    if (kind != "video" || clip.width > 0 || stream.value("/disposition/attached_pic"_json_pointer, 0) != 0) continue;
    clip.width = stream.value("width", 0);
    clip.height = stream.value("height", 0);
    if (is_turned(stream)) std::swap(clip.width, clip.height);
    const auto steady = rate_in(stream.value("avg_frame_rate", "")), least = rate_in(stream.value("r_frame_rate", ""));
    if (!steady && !least) fail(file, "its video has no frame rate");
    clip.rate = steady ? *steady : *least;
  }
  const double seconds = std::atof(said.value("/format/duration"_json_pointer, std::string("0")).c_str());
  if (clip.width < 1 || clip.height < 1) fail(file, "it has no video");
  if (!(seconds > 0) || seconds > in_seconds(kLongestTime)) fail(file, "it doesn't say how long it is");
  clip.length = from_seconds(seconds);
  return clip;
}

}  // namespace

Clip load_clip(const std::filesystem::path& file) {
  std::error_code failed;
  if (!std::filesystem::is_regular_file(file, failed))
    fail(file, std::filesystem::exists(file, failed) ? "is not a regular file" : "there is no such file");
  std::vector<std::string> arguments = {"-v", "error", "-of", "json", "-show_streams", "-show_format"};
  for (std::string& word : clip_input(file)) arguments.push_back(std::move(word));
  Tool probe("ffprobe", arguments, {});
  if (probe.finish() != 0) {
    if (probe.complaint().find("whitelist") != std::string::npos)
      throw Error(Error::Code::unreadable, "isn't a recording, or may refer to other files", file.string(),
                  "name a clip in an MP4, MOV, Matroska, WebM, AVI, MPEG-TS or FLV file");
    fail(file, fmt::format("ffprobe can't read it ({})", probe.complaint()));
  }
  return clip_of(Json::parse(probe.output(), nullptr, false), file);
}

std::vector<CueFound> cues_in(const Clip& clip, CueTone tone) {
  constexpr int kRate = 8'000;
  constexpr const char* kLongestSound = "14400";  // s: a clip may say that silence of years comes first
  if (!clip.has_sound)
    throw Error(Error::Code::not_found, "it has no sound, so no tone can be found in it", clip.file.string(),
                "say at which of its moments the run begins");
  std::vector<std::string> arguments = {"-v", "error", "-nostdin"};
  for (std::string& word : clip_input(clip.file)) arguments.push_back(std::move(word));
  // What is missing at the beginning or between is silence, so that samples tell times.
  for (const char* word : {"-map", "0:a:0", "-vn", "-ac", "1", "-af", "aresample=8000:async=1:first_pts=0", "-t",
                           kLongestSound, "-f", "s16le", "pipe:1"})
    arguments.emplace_back(word);
  Tool decoder("ffmpeg", arguments, {});
  if (decoder.finish() != 0) fail(clip.file, fmt::format("its sound can't be decoded ({})", decoder.complaint()));
  const std::string bytes = decoder.output();
  std::vector<std::int16_t> sound(bytes.size() / sizeof(std::int16_t));
  std::memcpy(sound.data(), bytes.data(), sound.size() * sizeof(std::int16_t));
  return cues_in(sound, kRate, tone);
}

}  // namespace idlemeter
