#include "sources/graphics/pci_names.hpp"

extern "C" {
#include <pci/pci.h>
}

#include <memory>

namespace idlemeter::sources {

std::string pci_device_name(const fs::path& root, std::uint16_t vendor, std::uint16_t device) {
  const std::unique_ptr<pci_access, decltype(&pci_cleanup)> access(pci_alloc(), &pci_cleanup);
  std::string path = (root / "usr/share/misc/pci.ids").string();
  std::error_code failed;
  if (fs::exists(path, failed)) pci_set_name_list_path(access.get(), path.data(), 0);
  char buffer[256] = "";
  const char* name =
      pci_lookup_name(access.get(), buffer, sizeof buffer, PCI_LOOKUP_DEVICE | PCI_LOOKUP_NO_NUMBERS, vendor, device);
  std::string result = name == nullptr ? "" : name;
  const std::size_t open = result.find('['), close = result.rfind(']');
  if (open != std::string::npos && close != std::string::npos && close > open + 1)
    result = result.substr(open + 1, close - open - 1);
  return result;
}

}  // namespace idlemeter::sources
