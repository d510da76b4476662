#include "meter/control/control.hpp"

#include <utility>

#include "idlemeter/base/limits.hpp"

namespace idlemeter::meter {

Control::Control(Loop& loop, std::filesystem::path socket, Obey obey)
    : loop_(loop),
      obey_(std::move(obey)),
      server_(
          std::move(socket),
          {.most_clients = limits::kClients,
           .line_bytes = limits::kCommandBytes,
           .answers = true,
           .newest_first = true},
          [this](base::LineServer::Client client, std::string_view line) { obey_(line, Client(server_, client)); }) {
  loop_.watch(server_.descriptor(), [this] { server_.serve(); });
}

Control::~Control() { loop_.unwatch(server_.descriptor()); }

}  // namespace idlemeter::meter
