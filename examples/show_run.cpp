#include <cstdio>
#include <idlemeter/insight.hpp>

int main() {
  const idlemeter::Store store("runs.db", idlemeter::Store::Mode::existing);
  std::puts(run_screen(insight_of(store, 1, {.figures = idlemeter::screen_request()})).c_str());
}
