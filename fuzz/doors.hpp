// The doors through which data from outside comes in, each as a function of arbitrary bytes. Each requires what must
// always hold; the sanitizers check the rest.
#pragma once

#include <algorithm>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <string>
#include <string_view>

namespace idlemeter::fuzz {

void face(std::string_view bytes);           ///< a face file, changed and laid out
void settings(std::string_view bytes);       ///< a settings file
void setting_value(std::string_view bytes);  ///< a choice of a key, then a value for it
void bundle(std::string_view bytes);         ///< a face with its pictures in a ZIP file
void formula(std::string_view bytes);        ///< a formula over readings
void text(std::string_view bytes);           ///< a text with places for readings, drawn and shown in a terminal
void feed(std::string_view bytes);           ///< lines that other programs hand in
void picture(std::string_view bytes);        ///< a PNG
void control(std::string_view bytes);        ///< commands to a meter
void link_meter(std::string_view bytes);     ///< what a game may do to the meter: operations on socket and ring
void link_probe(std::string_view bytes);     ///< what a meter may do to a game: operations on socket and picture
void store(std::string_view bytes);          ///< changes to the rows of a store
void frame_log(std::string_view bytes);      ///< a choice of columns, then a table of frames
void run_file(std::string_view bytes);       ///< runs as JSON
void result(std::string_view bytes);         ///< what was kept of a run's results
void schema(std::string_view bytes);         ///< SQL that a stranger ran on a store
void clip(std::string_view bytes);           ///< a file that is given as a clip
void request(std::string_view bytes);        ///< what a client sends to the server of metrics
void machine(std::string_view bytes);        ///< operations on a tree of kernel files

inline void require(bool holds) {
  if (!holds) std::abort();
}

/// Takes values from the front of the bytes; zeros once they are used up.
class Bytes {
 public:
  explicit Bytes(std::string_view bytes) : rest_(bytes) {}

  [[nodiscard]] bool empty() const { return rest_.empty(); }

  template <typename T>
  T take() {
    T value{};
    std::memcpy(&value, rest_.data(), std::min(sizeof value, rest_.size()));
    rest_.remove_prefix(std::min(sizeof value, rest_.size()));
    return value;
  }

  /// 0 to n - 1.
  std::size_t below(std::size_t n) { return take<std::uint8_t>() % n; }

  /// An integer: often one at the edges of what there is.
  std::int64_t integer() {
    constexpr std::int64_t kEdges[] = {0, 1, -1, INT64_MAX, INT64_MIN, INT32_MAX, INT32_MIN, 1'000'000'000};
    const std::uint8_t kind = take<std::uint8_t>();
    return kind < 16 ? kEdges[kind % 8] : kind < 64 ? take<std::int8_t>() : take<std::int64_t>();
  }

  /// A text of up to 255 bytes, its length first.
  std::string text() {
    const std::size_t length = std::min<std::size_t>(take<std::uint8_t>(), rest_.size());
    const std::string text(rest_.substr(0, length));
    rest_.remove_prefix(length);
    return text;
  }

 private:
  std::string_view rest_;
};

/// A folder in memory, gone afterwards.
class Scratch {
 public:
  Scratch();
  Scratch(const Scratch&) = delete;
  Scratch& operator=(const Scratch&) = delete;
  ~Scratch();

  [[nodiscard]] const std::filesystem::path& path() const { return path_; }
  void file(const std::filesystem::path& name, std::string_view bytes) const;

 private:
  std::filesystem::path path_;
};

}  // namespace idlemeter::fuzz
