#include "idlemeter/footage/write_footage.hpp"

#include <fmt/format.h>
#include <string.h>

#include <algorithm>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "base/unnamed_file.hpp"
#include "footage/clip_input.hpp"
#include "footage/tool.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"

namespace idlemeter {
namespace {

using base::UnnamedFile;
using footage::clip_input;
using footage::Tool;
using Words = std::vector<std::string>;

void add(Words& words, const Words& more) { words.insert(words.end(), more.begin(), more.end()); }

/// The container that a file's name asks for.
std::string container_of(const std::filesystem::path& file, bool over_clip) {
  const std::string ending = file.extension().string();
  if (ending == ".mov") return "mov";
  if (ending == ".mkv" && over_clip) return "matroska";
  if (ending == ".mp4" && over_clip) return "mp4";
  if (ending == ".webm" && !over_clip) return "webm";
  throw Error(Error::Code::invalid, "footage can't be a file of that kind", file.string(),
              over_clip ? "end its name with .mp4, .mov or .mkv" : "end its name with .mov or .webm");
}

/// With a transparent ground: what becomes of the part's pictures before they are kept, and how.
Words kept_as(FootageCodec codec, const std::string& on_whole) {
  const Words video = {"-colorspace", "bt709", "-color_primaries", "bt709", "-color_trc", "bt709"};
  const std::string as_video = on_whole + ",scale=out_color_matrix=bt709:out_range=limited";
  Words words;
  switch (codec) {
    case FootageCodec::animation:
      return {"-vf", "format=argb," + on_whole, "-c:v", "qtrle"};
    case FootageCodec::prores:
      words = {"-vf", as_video, "-c:v", "prores_aw", "-profile:v", "4", "-vendor", "apl0", "-pix_fmt", "yuva444p10le"};
      break;
    case FootageCodec::vp9:
      words = {"-vf",  as_video, "-c:v",      "libvpx-vp9", "-pix_fmt",  "yuva420p", "-b:v",    "0",
               "-crf", "18",     "-deadline", "realtime",   "-cpu-used", "8",        "-row-mt", "1"};
      break;
  }
  add(words, video);
  return words;
}

/// The part that is handed over: even, so that its colours fall on those of a clip, whose colours are kept for four
/// pixels together.
ImagePart handed_over(const Footage& footage) {
  const FootageOptions& how = footage.options();
  ImagePart part = footage.extent();
  part.width += part.x % 2;
  part.x -= part.x % 2;
  part.height += part.y % 2;
  part.y -= part.y % 2;
  part.width = std::max(1, std::min(part.width + part.width % 2, how.width - part.x));
  part.height = std::max(1, std::min(part.height + part.height % 2, how.height - part.y));
  return part;
}

Words arguments_for(const Footage& footage, const FootageFile& to, const ImagePart& part) {
  const FootageOptions& how = footage.options();
  const std::string rate = fmt::format("{}/{}", how.rate.count, how.rate.seconds);
  Words words = {"-v", "error", "-y"};
  if (to.over) add(words, clip_input(to.over->file));
  add(words, {"-protocol_whitelist", "pipe", "-f", "rawvideo", "-pixel_format", "bgra", "-video_size",
              fmt::format("{}x{}", part.width, part.height), "-framerate", rate, "-i", "pipe:0"});
  if (to.over) {
    // The fastest way, with few losses: what is made from it is made anew anyway.
    add(words, {"-filter_complex",
                fmt::format("[0:v:0][1:v]overlay=x={}:y={}:eof_action=pass:alpha=straight[v]", part.x, part.y), "-map",
                "[v]", "-map", "0:a?", "-c:a", "copy", "-map_metadata", "0", "-c:v", "libx264", "-preset", "ultrafast",
                "-crf", "18", "-pix_fmt", "yuv420p"});
  } else {
    add(words, kept_as(to.codec, fmt::format("pad={}:{}:{}:{}:color=black@0", how.width, how.height, part.x, part.y)));
  }
  add(words, {"-f", container_of(to.file, to.over.has_value()), "file:/proc/self/fd/3"});
  return words;
}

/// Colours not multiplied by alpha, as video has them.
std::uint32_t straight(std::uint32_t pixel) {
  const std::uint32_t alpha = pixel >> 24;
  if (alpha == 0 || alpha == 255) return alpha == 0 ? 0 : pixel;
  std::uint32_t result = alpha << 24;
  for (const unsigned shift : {0U, 8U, 16U}) {
    const std::uint32_t color = ((pixel >> shift & 255) * 255 + alpha / 2) / alpha;
    result |= std::min<std::uint32_t>(255, color) << shift;
  }
  return result;
}

/// Throws Error if it isn't 0.
void expect_done(int error, const std::filesystem::path& file) {
  if (error != 0)
    throw Error(Error::Code::unwritable, fmt::format("cannot write the file ({})", ::strerror(error)), file.string(),
                "name one in a folder that you may write to");
}

/// Copies what has changed of the picture into `pixels`, which hold its part `whole`.
void copy_part(const ImagePart& part, const Image& image, const ImagePart& whole, std::vector<std::uint32_t>& pixels) {
  for (int y = part.y; y < part.y + part.height; ++y) {
    const std::size_t row = static_cast<std::size_t>(y - whole.y) * static_cast<std::size_t>(whole.width);
    for (int x = part.x; x < part.x + part.width; ++x)
      pixels[row + static_cast<std::size_t>(x - whole.x)] = straight(image.at(x, y));
  }
}

}  // namespace

bool write_footage(Footage& footage, const FootageFile& to, const FootageProgress& progress) {
  const ImagePart whole = handed_over(footage);
  const Words arguments = arguments_for(footage, to, whole);
  if (to.over) {
    const std::filesystem::path inputs[] = {to.over->file};
    expect_replaceable(to.file, FileKind::other, inputs);
  }
  expect_replaceable(to.file);
  UnnamedFile file(to.file);
  expect_done(file.error(), to.file);
  Tool encoder("ffmpeg", arguments, {.takes_input = true, .output = file.descriptor()});
  std::vector<std::uint32_t> pixels(static_cast<std::size_t>(whole.width) * static_cast<std::size_t>(whole.height));
  const std::int64_t count = footage.pictures();
  for (std::int64_t done = 1; done <= count; ++done) {
    copy_part(footage.next(), footage.picture(), whole, pixels);
    if (!encoder.write(std::as_bytes(std::span(pixels)))) break;  // it has all that it needs, or has failed
    if (progress && !progress(done)) return false;
  }
  if (encoder.finish() != 0)
    throw Error(Error::Code::failed, fmt::format("ffmpeg couldn't write it ({})", encoder.complaint()),
                to.file.string(),
                to.over ? "see that the clip plays, and that the file's kind can hold its sound"
                        : "see that there is room on the disk");
  expect_done(file.keep(), to.file);
  return true;
}

}  // namespace idlemeter
