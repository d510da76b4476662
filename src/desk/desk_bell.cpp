// How a second desk finds the first: a socket that is the user's alone.
#include <fmt/format.h>
#include <poll.h>

#include "base/launch.hpp"
#include "base/line_server.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/desk/desk.hpp"
#include "idlemeter/meter/running_meters.hpp"

namespace idlemeter {
namespace {

constexpr const char *kQuestion = "address", *kStoreQuestion = "store";

std::filesystem::path bell_socket() { return meter_folder() / "desk.bell"; }

/// A page that only this user can read, which leads to the address: every user sees a command's arguments, and the
/// address holds a login code.
std::filesystem::path page_to(const std::string& address) {
  const std::filesystem::path file = meter_folder() / "desk.html";
  make_private_folder(file.parent_path());
  replace_file(file, fmt::format(R"(<!doctype html><meta charset="utf-8"><title>Idle Meter</title>
<meta http-equiv="refresh" content="0; url={0}"><a href="{0}">Open the desk</a>
)",
                                 address));
  std::filesystem::permissions(file, std::filesystem::perms::owner_read | std::filesystem::perms::owner_write);
  return file;
}

}  // namespace

struct DeskBell::State {
  explicit State(Desk& desk)
      : server(bell_socket(), {.answers = true}, [this, &desk](base::LineServer::Client client, std::string_view line) {
          server.answer(client, line == kQuestion        ? desk.address()
                                : line == kStoreQuestion ? desk.store().string()
                                                         : "");
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

std::string running_desk(const std::filesystem::path& store) {
  std::string address, its_store;
  try {
    its_store = tell_meter(bell_socket(), kStoreQuestion);
    address = tell_meter(bell_socket(), kQuestion);
  } catch (const Error&) {
    return "";
  }
  std::error_code unknown;
  const auto whole = [&](const std::filesystem::path& file) {
    return std::filesystem::weakly_canonical(file, unknown);
  };
  if (!store.empty() && whole(store) != whole(its_store))
    throw Error(Error::Code::in_use, fmt::format("a desk runs already, with the store {}", its_store), store.string(),
                "end that desk first");
  return address;
}

bool open_browser(const std::string& address) {
  const base::Launched browser =
      base::launch({"xdg-open", page_to(address).string()},
                   {.files = {base::kNoFile, base::kNoFile, base::kNoFile, base::kKeptFile}});
  return browser.pid != 0 && base::wait_for(browser.pid) == 0;
}

}  // namespace idlemeter
