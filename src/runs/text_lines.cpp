#include "runs/text_lines.hpp"

#include <archive.h>
#include <archive_entry.h>
#include <fmt/format.h>
#include <iconv.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <utility>

#include "idlemeter/base/error.hpp"

namespace idlemeter::runs {
namespace {

constexpr std::size_t kBlock = 256 * 1024, kLongestLine = 1024 * 1024;
const auto kNoConverter = reinterpret_cast<iconv_t>(-1);

}  // namespace

TextLines::TextLines(std::string where) : where_(std::move(where)), archive_(archive_read_new(), &archive_read_free) {
  archive_read_support_filter_gzip(archive_.get());
  archive_read_support_filter_zstd(archive_.get());
  archive_read_support_filter_xz(archive_.get());
  archive_read_support_format_raw(archive_.get());
  archive_read_support_format_empty(archive_.get());
}

TextLines::TextLines(int descriptor, std::string where) : TextLines(std::move(where)) {
  open(archive_read_open_fd(archive_.get(), descriptor, kBlock));
}

TextLines::TextLines(std::string_view bytes, std::string where) : TextLines(std::move(where)) {
  open(archive_read_open_memory(archive_.get(), bytes.data(), bytes.size()));
}

TextLines::~TextLines() {
  if (converter_ != nullptr) iconv_close(converter_);
}

void TextLines::open(int status) {
  if (status != ARCHIVE_OK) fail();
  archive_entry* entry = nullptr;
  const int found = archive_read_next_header(archive_.get(), &entry);
  if (found == ARCHIVE_EOF) {
    ended_ = true;
  } else if (found != ARCHIVE_OK) {
    fail();
  }
}

void TextLines::fail() const {
  const char* why = archive_error_string(archive_.get());
  throw Error(Error::Code::unreadable, fmt::format("cannot be read ({})", why == nullptr ? "damaged" : why), where_);
}

/// One more block into raw_ or text_. False at the end.
bool TextLines::read() {
  if (ended_) return false;
  std::string& into = converter_ == nullptr ? text_ : raw_;
  const std::size_t before = into.size();
  into.resize(before + kBlock);
  const la_ssize_t got = archive_read_data(archive_.get(), into.data() + before, kBlock);
  into.resize(before + static_cast<std::size_t>(std::max<la_ssize_t>(got, 0)));
  if (got < 0) fail();
  ended_ = got == 0;
  return !ended_;
}

/// By the byte-order mark; without one, UTF-16 is known by the zero bytes of a heading's letters.
void TextLines::find_encoding() {
  begun_ = true;
  while (text_.size() < 4 && read()) {
  }
  const auto begins = [&](std::string_view mark) { return text_.compare(0, mark.size(), mark) == 0; };
  const char* encoding = nullptr;
  if (begins("\xEF\xBB\xBF")) text_.erase(0, 3);
  if (begins("\xFF\xFE")) encoding = "UTF-16LE";
  if (begins("\xFE\xFF")) encoding = "UTF-16BE";
  if (encoding != nullptr) text_.erase(0, 2);
  if (encoding == nullptr && text_.size() >= 4) {
    if (text_[1] == '\0' && text_[3] == '\0') encoding = "UTF-16LE";
    if (text_[0] == '\0' && text_[2] == '\0') encoding = "UTF-16BE";
  }
  if (encoding == nullptr) return;
  raw_ = std::move(text_);
  text_.clear();
  converter_ = iconv_open("UTF-8", encoding);
  if (converter_ == kNoConverter) {
    converter_ = nullptr;
    throw Error(Error::Code::unreadable, fmt::format("is in {}, which this system can't convert", encoding), where_);
  }
}

/// More text behind what is left of it. False at the end.
bool TextLines::fill() {
  text_.erase(0, at_);
  at_ = 0;
  if (!begun_) {
    find_encoding();
    if (!text_.empty()) return true;
  }
  if (converter_ == nullptr) return read();
  const bool more = read();
  if (raw_.empty()) return false;
  char* from = raw_.data();
  std::size_t left = raw_.size();
  const std::size_t before = text_.size();
  text_.resize(before + 2 * left + 8);  // two bytes become three at most
  char* to = text_.data() + before;
  std::size_t room = text_.size() - before;
  while (left > 0 && iconv(converter_, &from, &left, &to, &room) == static_cast<std::size_t>(-1)) {
    if (errno == EINVAL && more) break;  // half a character: the rest comes with the next block
    from += std::min<std::size_t>(2, left);
    left -= std::min<std::size_t>(2, left);
    if (room > 0) {
      *to++ = '?';
      --room;
    }
  }
  text_.resize(text_.size() - room);
  raw_.erase(0, raw_.size() - left);
  return true;
}

std::optional<std::string_view> TextLines::next() {
  std::size_t searched = at_;
  for (;;) {
    const auto* end = static_cast<const char*>(std::memchr(text_.data() + searched, '\n', text_.size() - searched));
    if (end != nullptr) {
      const auto place = static_cast<std::size_t>(end - text_.data());
      std::string_view line(text_.data() + at_, place - at_);
      at_ = place + 1;
      if (std::exchange(skips_, false)) {  // the rest of a line that was too long
        searched = at_;
        continue;
      }
      ++number_;
      if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
      return line.substr(0, kLongestLine);
    }
    if (text_.size() - at_ > kLongestLine) {
      const std::string_view line(text_.data() + at_, kLongestLine);
      at_ = text_.size();
      if (std::exchange(skips_, true)) {
        searched = at_;
        continue;
      }
      ++number_;
      return line;
    }
    searched = text_.size() - at_;
    if (fill()) continue;
    if (at_ == text_.size() || std::exchange(skips_, false)) return std::nullopt;
    std::string_view line(text_.data() + at_, text_.size() - at_);
    at_ = text_.size();
    ++number_;
    if (line.back() == '\r') line.remove_suffix(1);
    return line;
  }
}

}  // namespace idlemeter::runs
