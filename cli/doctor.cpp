// idlemeter doctor: what works here, what doesn't, and what fixes it.
#include "idlemeter/doctor/doctor.hpp"

#include <memory>

#include "commands.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct DoctorArgs {
  ValueOptions values;
  std::string store = usual_store();
  bool json = false;
};

int doctor(const DoctorArgs& options) {
  const std::string settings =
      options.values.settings.empty() ? usual_settings_path().string() : options.values.settings;
  ValueOptions which = options.values;
  which.plain = true;  // a mistake in the settings is one of the findings
  Values values(which);
  const Snapshot readings = values.next(0);
  const auto checks =
      examine_machine({.root = values.root(), .readings = readings, .settings = settings, .store = options.store});
  if (options.json) {
    write_raw(health_json(checks) + "\n");
  } else {
    write_text(health_text(checks));
  }
  return worst_of(checks) == Health::fails ? 1 : 0;
}

}  // namespace

void add_doctor(Command app) {
  const auto options = std::make_shared<DoctorArgs>();
  Command command = app.add("doctor", "Look at what works on this machine, what doesn't, and what fixes it",
                            [options] { return doctor(*options); });
  add_value_options(command, options->values);
  command.option("--store", options->store, "The store for recordings").shows_default();
  command.flag("--json", options->json, "As JSON");
}

}  // namespace idlemeter::cli
