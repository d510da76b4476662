#include "runs/tables/text_lines.hpp"

#include <archive.h>
#include <archive_entry.h>
#include <fmt/format.h>
#include <iconv.h>
#include <sys/stat.h>

#include <algorithm>
#include <cerrno>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"

namespace idlemeter::runs {
namespace {

constexpr std::size_t kBlock = 256 * 1024, kLongestLine = 1024 * 1024, kEmptyBlock = 4'096;
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
  struct stat about {};
  if (!is_packed_ && ::fstat(descriptor, &about) == 0 && S_ISREG(about.st_mode))
    size_ = static_cast<std::uint64_t>(about.st_size);
}

TextLines::TextLines(std::string_view bytes, std::string where) : TextLines(std::move(where)) {
  open(archive_read_open_memory(archive_.get(), bytes.data(), bytes.size()));
}

TextLines::~TextLines() {
  if (converter_ != nullptr) iconv_close(converter_);
}

void TextLines::open(int status) {
  if (status != ARCHIVE_OK) fail();
  is_packed_ = archive_filter_count(archive_.get()) > 1;
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

void TextLines::expect_unpacked_from(std::uint64_t packed) const {
  if (unpacked_ > limits::kUnpackedBytes + limits::kUnpackedPerByte * packed)
    throw Error(Error::Code::unreadable, "unpacks to far more than any log does", where_,
                "it may have been made to fill the memory: leave it alone, or unpack it first");
}

/// The next block of the text, unpacked but not converted. Empty at the end.
std::string_view TextLines::read() {
  while (!ended_) {
    const void* bytes = nullptr;
    std::size_t size = 0;
    la_int64_t offset = 0;
    const int status = archive_read_data_block(archive_.get(), &bytes, &size, &offset);
    if (status == ARCHIVE_EOF) ended_ = true;
    if (status != ARCHIVE_OK && status != ARCHIVE_EOF) fail();
    const auto packed = static_cast<std::uint64_t>(archive_filter_bytes(archive_.get(), -1));
    unpacked_ += size;
    if (is_packed_) expect_unpacked_from(packed);
    const std::string_view block(static_cast<const char*>(bytes), ended_ ? 0 : size);
    if (block.empty()) continue;
    if (block.size() >= kEmptyBlock && block.find_first_not_of('\0') == std::string_view::npos)
      throw Error(Error::Code::unreadable, "isn't text: it has long stretches of zero bytes", where_);
    return block;
  }
  return {};
}

/// By the byte-order mark; without one, UTF-16 is known by the zero bytes of a heading's letters.
const char* TextLines::encoding_of(std::string_view& begin) {
  if (begin.starts_with("\xEF\xBB\xBF")) begin.remove_prefix(3);
  const char* encoding = nullptr;
  if (begin.starts_with("\xFF\xFE")) encoding = "UTF-16LE";
  if (begin.starts_with("\xFE\xFF")) encoding = "UTF-16BE";
  if (encoding != nullptr) begin.remove_prefix(2);
  if (encoding == nullptr && begin.size() >= 4) {
    if (begin[1] == '\0' && begin[3] == '\0') encoding = "UTF-16LE";
    if (begin[0] == '\0' && begin[2] == '\0') encoding = "UTF-16BE";
  }
  return encoding;
}

/// The first block, which may be as short as a pipe's writer made it.
void TextLines::begin() {
  begun_ = true;
  std::string_view block = read();
  while (block.size() < 4) {
    raw_ += block;
    block = read();
    if (block.empty()) break;
  }
  raw_ += block;
  std::string_view begin = raw_;
  const char* const encoding = encoding_of(begin);
  raw_.erase(0, raw_.size() - begin.size());
  if (encoding == nullptr) {
    text_ = std::move(raw_);
    raw_.clear();
    block_ = text_;
    return;
  }
  converter_ = iconv_open("UTF-8", encoding);
  if (converter_ == kNoConverter) {
    converter_ = nullptr;
    throw Error(Error::Code::unreadable, fmt::format("is in {}, which this system can't convert", encoding), where_);
  }
  convert();
}

/// What is in raw_ to text_, but for half a character at its end if more is to come.
void TextLines::convert() {
  char* from = raw_.data();
  std::size_t left = raw_.size();
  text_.resize(2 * left + 8);  // two bytes become three at most
  char* to = text_.data();
  std::size_t room = text_.size();
  while (left > 0 && iconv(converter_, &from, &left, &to, &room) == static_cast<std::size_t>(-1)) {
    if (errno == EINVAL && !ended_) break;
    from += std::min<std::size_t>(2, left);
    left -= std::min<std::size_t>(2, left);
    *to++ = '?';
    --room;
  }
  text_.resize(text_.size() - room);
  raw_.erase(0, raw_.size() - left);
  block_ = text_;
}

/// Another block_. False at the end.
bool TextLines::fill() {
  if (!begun_) {
    begin();
    return true;
  }
  if (converter_ == nullptr) {
    block_ = read();
    return !block_.empty();
  }
  raw_ += read();
  if (raw_.empty()) return false;
  convert();
  return true;
}

std::string_view TextLines::line_with(std::string_view end) {
  ++number_;
  if (!carry_.empty()) {
    carry_ += end;
    std::swap(line_, carry_);
    carry_.clear();
    end = line_;
  }
  if (!end.empty() && end.back() == '\r') end.remove_suffix(1);
  return end.substr(0, kLongestLine);
}

std::optional<std::string_view> TextLines::next() {
  for (;;) {
    const std::size_t place = block_.find('\n');
    if (place != std::string_view::npos) {
      const std::string_view part = block_.substr(0, place);
      block_.remove_prefix(place + 1);
      if (std::exchange(skips_, false)) continue;  // the rest of a line that was too long
      return line_with(part);
    }
    if (!skips_) carry_ += block_;
    block_ = {};
    if (carry_.size() > kLongestLine) {
      skips_ = true;
      return line_with({});
    }
    if (fill()) continue;
    if (carry_.empty()) return std::nullopt;
    return line_with({});
  }
}

}  // namespace idlemeter::runs
