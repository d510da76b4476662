#include "sources/kernel/kernel_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <charconv>
#include <cmath>

#include "idlemeter/readings/reading.hpp"

namespace idlemeter::sources {
namespace {

constexpr std::size_t kMostBytes = 1 << 20;
constexpr int kNotAFile = ENOTSUP;
constexpr double kLargest = 1e18;  // beyond any sensor: a broken chip or driver

/// Reads to the end; returns errno or 0.
int read_all(int file, std::string& text) {
  char buffer[16384];
  while (text.size() < kMostBytes) {
    const ssize_t got = ::read(file, buffer, sizeof buffer);
    if (got == 0) return 0;
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return errno;
    text.append(buffer, static_cast<std::size_t>(got));
  }
  return 0;
}

bool is_digit(char c) { return c >= '0' && c <= '9'; }

bool natural_less(std::string_view a, std::string_view b) {
  std::size_t i = 0, j = 0;
  while (i < a.size() && j < b.size()) {
    if (is_digit(a[i]) && is_digit(b[j])) {
      std::uint64_t x = 0, y = 0;
      const auto end_a = std::from_chars(&a[i], a.data() + a.size(), x).ptr;
      const auto end_b = std::from_chars(&b[j], b.data() + b.size(), y).ptr;
      if (x != y) return x < y;
      i = static_cast<std::size_t>(end_a - a.data());
      j = static_cast<std::size_t>(end_b - b.data());
    } else if (a[i] != b[j]) {
      return a[i] < b[j];
    } else {
      ++i, ++j;
    }
  }
  return a.size() - i < b.size() - j;
}

}  // namespace

FileText read_file(const fs::path& path) {
  // A pipe in the place of a file would be waited for.
  const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NOCTTY | O_NONBLOCK);
  if (file < 0) return {"", errno};
  struct stat about {};
  if (::fstat(file, &about) != 0 || !S_ISREG(about.st_mode)) {
    ::close(file);
    return {"", S_ISDIR(about.st_mode) ? EISDIR : kNotAFile};
  }
  FileText result;
  result.error = read_all(file, result.text);
  ::close(file);
  if (!result.ok()) return {"", result.error};
  const std::size_t end = result.text.find_last_not_of(" \t\r\n");
  result.text.resize(end == std::string::npos ? 0 : end + 1);
  return result;
}

Missing cannot_read(const fs::path& path, int error) {
  const char* why = error == kNotAFile ? "is a pipe, a socket or a device" : ::strerror(error);
  std::string reason = fmt::format("cannot read {}: {}", path.string(), why);
  if (error == EACCES || error == EPERM) reason += fmt::format("; allow it with 'sudo chmod a+r {}'", path.string());
  return Missing{std::move(reason)};
}

Value read_number(const fs::path& path, double scale) {
  const FileText file = read_file(path);
  if (!file.ok()) return cannot_read(path, file.error);
  const auto value = leading_number(file.text);
  if (!value) return Missing{fmt::format("{} holds no number: '{:.40}'", path.string(), file.text)};
  return *value * scale;
}

std::optional<double> leading_number(std::string_view text) {
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc{} || !std::isfinite(value) || std::abs(value) > kLargest) return std::nullopt;
  return value;
}

std::optional<std::uint64_t> leading_count(std::string_view text) {
  std::uint64_t value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  return error == std::errc{} ? std::optional(value) : std::nullopt;
}

std::vector<std::string> names_in(const fs::path& folder) {
  std::vector<std::string> names;
  std::error_code failed;
  for (fs::directory_iterator entry(folder, failed), end; !failed && entry != end; entry.increment(failed)) {
    names.push_back(entry->path().filename().string());
  }
  std::sort(names.begin(), names.end(), natural_less);
  return names;
}

std::vector<std::string_view> words(std::string_view text) {
  constexpr std::string_view kSpace = " \t\r\n\v\f";
  std::vector<std::string_view> found;
  for (std::size_t start = text.find_first_not_of(kSpace); start != std::string_view::npos;) {
    const std::size_t end = std::min(text.find_first_of(kSpace, start), text.size());
    found.push_back(text.substr(start, end - start));
    start = text.find_first_not_of(kSpace, end);
  }
  return found;
}

std::vector<std::string_view> lines(std::string_view text) {
  std::vector<std::string_view> found;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find('\n'), text.size());
    if (end > 0) found.push_back(text.substr(0, end));
    text.remove_prefix(std::min(end + 1, text.size()));
  }
  return found;
}

std::string as_id(std::string_view label) {
  std::string id;
  for (char c : label) {
    if (std::isalnum(static_cast<unsigned char>(c))) {
      id += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    } else if (!id.empty() && id.back() != '_') {
      id += '_';
    }
  }
  while (!id.empty() && id.back() == '_') id.pop_back();
  return id;
}

std::optional<int> number_between(std::string_view name, std::string_view before, std::string_view after) {
  if (!name.starts_with(before) || !name.ends_with(after) || name.size() <= before.size() + after.size())
    return std::nullopt;
  const std::string_view middle = name.substr(before.size(), name.size() - before.size() - after.size());
  int value = 0;
  const auto [end, error] = std::from_chars(middle.data(), middle.data() + middle.size(), value);
  return error == std::errc{} && end == middle.data() + middle.size() && value >= 0 ? std::optional(value)
                                                                                    : std::nullopt;
}

}  // namespace idlemeter::sources
