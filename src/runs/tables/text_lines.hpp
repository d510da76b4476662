// The lines of a text of any size: packed or not, in UTF-8 or UTF-16.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

struct archive;

namespace idlemeter::runs {

/// Throws Error naming `where` if the text can't be read or unpacked.
class TextLines {
 public:
  TextLines(int descriptor, std::string where);
  TextLines(std::string_view bytes, std::string where);
  TextLines(const TextLines&) = delete;
  TextLines& operator=(const TextLines&) = delete;
  ~TextLines();

  /// The next line without its end, valid until the next call; empty at the end of the text. One that is longer than
  /// a mebibyte is cut there.
  std::optional<std::string_view> next();

  /// How many bytes of text there may be in all, as far as it is known: of what isn't packed.
  [[nodiscard]] std::uint64_t size() const { return size_; }

  /// Of the line that next() returned, from 1.
  [[nodiscard]] std::uint64_t number() const { return number_; }

 private:
  explicit TextLines(std::string where);
  void open(int status);
  std::string_view read();
  /// Throws if so much cannot have been packed into that many bytes.
  void expect_unpacked_from(std::uint64_t packed) const;
  static const char* encoding_of(std::string_view& begin);
  void begin();
  void convert();
  bool fill();
  std::string_view line_with(std::string_view end);
  [[noreturn]] void fail() const;

  std::string where_;
  std::unique_ptr<archive, int (*)(archive*)> archive_;
  std::string raw_;           // read and not yet converted, in UTF-16
  std::string text_;          // converted, in UTF-8
  std::string_view block_;    // what is left of the block that lines are taken from: of text_, or libarchive's
  std::string carry_, line_;  // the beginning of a line whose end is in a later block, and that line
  void* converter_ = nullptr;
  bool ended_ = false, begun_ = false, skips_ = false, is_packed_ = false;
  std::uint64_t number_ = 0, size_ = 0, unpacked_ = 0;
};

}  // namespace idlemeter::runs
