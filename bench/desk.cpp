// The desk's preview of a face: laid out, drawn and packed as a PNG, as the page asks for it each second and at every
// change.
#include "idlemeter/desk/desk.hpp"

#include <benchmark/benchmark.h>

#include <filesystem>
#include <memory>

#include "desk/faces.hpp"
#include "desk/readings.hpp"
#include "idlemeter/base/scratch_folder.hpp"

namespace {

using namespace idlemeter;

class NoValues final : public DeskValues {
 public:
  Snapshot update() override { return {}; }
  void ask(const std::vector<std::string>&) override {}
  [[nodiscard]] const History& history() const override { return history_; }

 private:
  History history_;
};

void desk_scene(benchmark::State& state) {
  const ScratchFolder folder;
  desk::Readings readings(std::make_unique<NoValues>());
  desk::Faces faces(folder.path() / "faces", folder.path() / "settings.toml", readings);
  for (auto _ : state) benchmark::DoNotOptimize(faces.scene("benchmark", 1920, 1080));
}
BENCHMARK(desk_scene)->Unit(benchmark::kMillisecond);

}  // namespace
