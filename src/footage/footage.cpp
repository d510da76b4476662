#include "idlemeter/footage/footage.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <stdexcept>
#include <utility>

#include "draw/pixels_of.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/runs/run_replay.hpp"

namespace idlemeter {
namespace {

constexpr Nanoseconds kDrawEvery = 33 * kMillisecond;  // as live

/// Both, and what lies between.
ImagePart around(const ImagePart& a, const ImagePart& b) {
  if (a.width == 0 || a.height == 0) return b;
  if (b.width == 0 || b.height == 0) return a;
  const int left = std::min(a.x, b.x), top = std::min(a.y, b.y);
  return {left, top, std::max(a.x + a.width, b.x + b.width) - left, std::max(a.y + a.height, b.y + b.height) - top};
}

void clear(Image& image, const ImagePart& part) {
  for (int y = part.y; y < part.y + part.height; ++y) {
    const auto row = image.pixels.begin() + static_cast<std::ptrdiff_t>(y) * image.width + part.x;
    std::fill(row, row + part.width, 0);
  }
}

const FootageOptions& checked(const FootageOptions& options) {
  constexpr int kMost = 16'384;
  if (options.width < 1 || options.height < 1 || options.width > kMost || options.height > kMost)
    throw Error(Error::Code::misuse, "pictures have 1 to 16,384 pixels a side");
  if (options.rate.count < 1 || options.rate.seconds < 1 || options.rate.count / options.rate.seconds > 1'000)
    throw Error(Error::Code::misuse, "a rate is above 0, and at most 1,000 pictures a second");
  if (options.length < Nanoseconds{} || options.length > kLongestTime || std::chrono::abs(options.from) > kLongestTime)
    throw Error(Error::Code::misuse, "no footage is that long");
  return options;
}

/// Each picture's moment of the run, of those that show something new.
class Moments {
 public:
  Moments(const FootageOptions& options, Nanoseconds run) : options_(options), run_(run) {}

  enum class Shows : std::uint8_t { nothing, as_before, anew };
  struct Next {
    Shows what;
    Moment at;
  };

  Next next() {
    const Moment at{options_.from + options_.rate.time_of(done_++)};
    if (at < Moment{} || at > Moment{run_}) {
      drawn_.reset();
      return {Shows::nothing, at};
    }
    if (drawn_ && at - *drawn_ < kDrawEvery) return {Shows::as_before, at};
    drawn_ = at;
    return {Shows::anew, at};
  }

 private:
  FootageOptions options_;
  Nanoseconds run_;
  std::int64_t done_ = 0;
  std::optional<Moment> drawn_;
};

std::int64_t count_of(const FootageOptions& options) {
  const double exact =
      in_seconds(options.length) * static_cast<double>(options.rate.count) / static_cast<double>(options.rate.seconds);
  return std::llround(std::ceil(exact - 1e-6));
}

}  // namespace

Nanoseconds PictureRate::time_of(std::int64_t picture) const {
  const std::int64_t whole = picture / count, rest = picture % count;  // so that hours don't overflow
  return seconds * (whole * kSecond + kSecond * rest / count);
}

struct Footage::State {
  FootageOptions options;
  Face face;
  RunReplay replay;
  Moments moments;
  Painter painter;
  Image image;
  Scene last;
  ImagePart drawn, extent;

  State(const Store& store, std::int64_t run, Face shown, const FootageOptions& how)
      : options(checked(how)),
        face(std::move(shown)),
        replay(store, run, readings_of(face)),
        moments(how, store.run(run).length),
        image(how.width, how.height) {
    Moments all = moments;
    for (std::int64_t i = count_of(options); i > 0; --i) {
      const Moments::Next next = all.next();
      if (next.what == Moments::Shows::anew) extent = around(extent, pixels(lay_out_at(next.at)));
    }
    replay.restart();
  }

  Scene lay_out_at(Moment at) {
    replay.go_to(at);
    return lay_out(face, image.width, image.height, replay.values(), replay.history(), painter);
  }

  [[nodiscard]] ImagePart pixels(const Scene& scene) const {
    return draw::pixels_of(scene.bounds, image.width, image.height);
  }

  /// Nothing is drawn.
  ImagePart vanish() {
    clear(image, drawn);
    last = {};
    return std::exchange(drawn, {});
  }

  ImagePart redraw(Moment at) {
    Scene scene = lay_out_at(at);
    if (scene == last) return {};
    clear(image, drawn);
    painter.draw(scene, image);
    last = std::move(scene);
    const ImagePart before = std::exchange(drawn, pixels(last));
    return around(before, drawn);
  }
};

Footage::Footage(const Store& store, std::int64_t run, Face face, const FootageOptions& options)
    : state_(std::make_unique<State>(store, run, std::move(face), options)) {}
Footage::Footage(Footage&&) noexcept = default;
Footage& Footage::operator=(Footage&&) noexcept = default;
Footage::~Footage() = default;

const FootageOptions& Footage::options() const { return state_->options; }
std::int64_t Footage::pictures() const { return count_of(state_->options); }
ImagePart Footage::extent() const { return state_->extent; }

ImagePart Footage::next() {
  const Moments::Next next = state_->moments.next();
  if (next.what == Moments::Shows::as_before) return {};
  return next.what == Moments::Shows::anew ? state_->redraw(next.at) : state_->vanish();
}

const Image& Footage::picture() const { return state_->image; }

}  // namespace idlemeter
