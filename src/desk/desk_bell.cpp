// How a second desk finds the first: a socket that is the user's alone.
#include <poll.h>

#include "base/launch.hpp"
#include "base/line_server.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/desk/desk.hpp"
#include "idlemeter/meter/running_meters.hpp"

namespace idlemeter {
namespace {

constexpr const char* kQuestion = "address";

std::filesystem::path bell_socket() { return meter_folder() / "desk.bell"; }

}  // namespace

struct DeskBell::State {
  explicit State(Desk& desk)
      : server(bell_socket(), {.answers = true}, [this, &desk](base::LineServer::Client client, std::string_view line) {
          server.answer(client, line == kQuestion ? desk.address() : "");
        }) {}

  base::LineServer server;
};

DeskBell::DeskBell(Desk& desk) : state_(std::make_unique<State>(desk)) {}
DeskBell::~DeskBell() = default;

void DeskBell::serve(Nanoseconds at_most) {
  pollfd one{state_->server.descriptor(), POLLIN, 0};
  (void)::poll(&one, 1, static_cast<int>(at_most / (kSecond / 1'000)));
  state_->server.serve();
}

std::string running_desk() {
  try {
    return tell_meter(bell_socket(), kQuestion);
  } catch (const Error&) {
    return "";
  }
}

bool open_browser(const std::string& address) {
  const base::Launched browser =
      base::launch({"xdg-open", address}, {.files = {base::kNoFile, base::kNoFile, base::kNoFile, base::kKeptFile}});
  return browser.pid != 0 && base::wait_for(browser.pid) == 0;
}

}  // namespace idlemeter
