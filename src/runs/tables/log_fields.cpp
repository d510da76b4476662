#include "runs/tables/log_fields.hpp"

namespace idlemeter::runs {

std::string_view trimmed(std::string_view text) {
  while (!text.empty() && is_blank(text.front())) text.remove_prefix(1);
  while (!text.empty() && is_blank(text.back())) text.remove_suffix(1);
  return text;
}

bool fields_of(std::string_view line, char delimiter, std::vector<std::string_view>& fields, std::string& unquoted) {
  fields.clear();
  unquoted.clear();
  unquoted.reserve(line.size());  // so that views of it stay valid
  for (std::size_t at = 0;;) {
    const bool quoted = at < line.size() && line[at] == '"';
    if (quoted) {
      const std::size_t begin = unquoted.size();
      for (++at;; ++at) {
        const std::size_t quote = line.find('"', at);
        if (quote == std::string_view::npos) return false;
        unquoted.append(line.substr(at, quote - at));
        at = quote + 1;
        if (at >= line.size() || line[at] != '"') break;
        unquoted += '"';
      }
      fields.push_back(std::string_view(unquoted).substr(begin));
    }
    const std::size_t end = line.find(delimiter, at);
    if (!quoted) fields.push_back(line.substr(at, end == std::string_view::npos ? end : end - at));
    if (end == std::string_view::npos) return true;
    at = end + 1;
  }
}

}  // namespace idlemeter::runs
