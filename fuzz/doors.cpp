// libFuzzer's entry: --door=NAME chooses which door the inputs go through.
#include "doors.hpp"

#include <stdlib.h>
#include <sys/stat.h>

#include <cstdio>
#include <fstream>

namespace idlemeter::fuzz {

Scratch::Scratch() {
  std::string name = "/dev/shm/idlemeter-fuzz-XXXXXX";
  require(::mkdtemp(name.data()) != nullptr);
  path_ = name;
}

Scratch::~Scratch() {
  std::error_code ignored;
  std::filesystem::remove_all(path_, ignored);
}

void Scratch::file(const std::filesystem::path& name, std::string_view bytes) const {
  std::ofstream(path_ / name, std::ios::binary) << bytes;
}

namespace {

constexpr std::pair<std::string_view, void (*)(std::string_view)> kDoors[] = {{"face", face},
                                                                              {"settings", settings},
                                                                              {"bundle", bundle},
                                                                              {"formula", formula},
                                                                              {"text", text},
                                                                              {"feed", feed},
                                                                              {"picture", picture},
                                                                              {"control", control},
                                                                              {"store", store},
                                                                              {"machine", machine},
                                                                              {"link_meter", link_meter},
                                                                              {"link_probe", link_probe},
                                                                              {"frame_log", frame_log},
                                                                              {"run_file", run_file},
                                                                              {"schema", schema},
                                                                              {"clip", clip},
                                                                              {"result", result},
                                                                              {"request", request},
                                                                              {"setting_value", setting_value}};

void (*chosen)(std::string_view) = nullptr;

}  // namespace
}  // namespace idlemeter::fuzz

extern "C" int LLVMFuzzerInitialize(int* argc, char*** argv) {
  using namespace idlemeter::fuzz;
  for (int i = 1; i < *argc; ++i) {
    const std::string_view word = (*argv)[i];
    for (const auto& [name, door] : kDoors) {
      if (word == "--door=" + std::string(name)) chosen = door;
    }
  }
  if (chosen == nullptr) {
    std::fputs("name a door with --door=NAME:", stderr);
    for (const auto& [name, door] : kDoors) std::fprintf(stderr, " %s", std::string(name).c_str());
    std::fputs("\n", stderr);
    std::exit(2);
  }
  return 0;
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  idlemeter::fuzz::chosen({reinterpret_cast<const char*>(data), size});
  return 0;
}
