#include <fmt/format.h>
#include <sys/stat.h>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/serve/metrics_server.hpp"

namespace idlemeter {

std::string load_token(const std::filesystem::path& file) {
  constexpr std::size_t kMost = 4'096;
  const FileBytes read = read_regular_file(file, kMost);
  if (!read.problem.empty())
    throw Error(Error::Code::unreadable, fmt::format("cannot read the token ({})", read.problem), file.string());
  const std::string token = read.bytes.substr(0, read.bytes.find_first_of("\r\n"));
  struct stat about {};
  if (::stat(file.c_str(), &about) == 0 && (about.st_mode & 077) != 0)
    throw Error(Error::Code::invalid, "others can read the token", file.string(),
                "keep it to yourself with 'chmod 600'");
  constexpr std::size_t kLeast = 16;
  if (token.size() < kLeast || token.find_first_of(" \t") != std::string::npos)
    throw Error(Error::Code::invalid, fmt::format("a token has at least {} characters, without spaces", kLeast),
                file.string(), "make one with 'openssl rand -hex 32'");
  return token;
}

}  // namespace idlemeter
