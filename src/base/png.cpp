#include "base/png.hpp"

namespace idlemeter::base {
namespace {

std::uint32_t big_endian(std::string_view bytes) {
  std::uint32_t number = 0;
  for (char byte : bytes.substr(0, 4)) number = number << 8 | static_cast<unsigned char>(byte);
  return number;
}

}  // namespace

std::optional<PngSize> png_size(std::string_view bytes) {
  constexpr std::size_t kSignatureAndHeader = 33;
  if (!bytes.starts_with("\x89PNG\r\n\x1a\n") || bytes.size() < kSignatureAndHeader || bytes.substr(12, 4) != "IHDR")
    return std::nullopt;
  return PngSize{big_endian(bytes.substr(16)), big_endian(bytes.substr(20))};
}

}  // namespace idlemeter::base
