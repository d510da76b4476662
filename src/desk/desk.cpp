#include "idlemeter/desk/desk.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <deque>
#include <limits>

#include "desk/assets.hpp"
#include "desk/demo_game.hpp"
#include "desk/door.hpp"
#include "desk/face_json.hpp"
#include "desk/faces.hpp"
#include "desk/live.hpp"
#include "desk/readings.hpp"
#include "desk/run_view.hpp"
#include "desk/runs.hpp"
#include "desk/settings_form.hpp"
#include "desk/share.hpp"
#include "desk/wire.hpp"
#include "http/http_server.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/kept_faces.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter {
namespace {

using desk::Json;
using http::Answer;
using http::Method;
using http::Request;

constexpr int kLeastSide = 64, kMostSide = 4'096;
constexpr int kUsualWidth = 1'920, kUsualHeight = 1'080;  ///< Of a game's picture.

/// Nothing from elsewhere is loaded. `styles`: what else styles may come from.
std::string content_policy(const std::string& styles = "") {
  return fmt::format(
      "default-src 'none'; script-src 'self'; style-src 'self'{}; img-src 'self' blob:; connect-src 'self'; base-uri "
      "'none'; form-action 'none'; frame-ancestors 'none'",
      styles);
}

/// For everything that the desk answers: no other page may have it.
std::vector<std::pair<std::string, std::string>> page_headers() {
  return {{"X-Content-Type-Options", "nosniff"},
          {"Referrer-Policy", "no-referrer"},
          {"Cross-Origin-Opener-Policy", "same-origin"},
          {"Cross-Origin-Resource-Policy", "same-origin"},
          {"Cache-Control", "no-store"}};
}

Answer with_headers(Answer answer) {
  for (auto& header : page_headers()) answer.headers.push_back(std::move(header));
  const auto has_policy = [](const auto& header) { return header.first == "Content-Security-Policy"; };
  if (std::none_of(answer.headers.begin(), answer.headers.end(), has_policy))
    answer.headers.emplace_back("Content-Security-Policy", content_policy());
  return answer;
}

void replace_in(std::string& html, std::string_view place, const std::string& by) {
  if (const std::size_t at = html.find(place); at != std::string::npos) html.replace(at, place.size(), by);
}

/// A page's HTML; a script of it may add styles that bear the word, which is another one each time.
Answer page(const desk::Asset& asset, const std::string& picture) {
  constexpr std::size_t kNonceBytes = 16;
  const std::string nonce = desk::random_word(kNonceBytes);
  std::string html(asset.bytes);
  replace_in(html, "NONCE", nonce);
  replace_in(html, "<!-- PICTURE -->", picture);
  return {http::kOk,
          html,
          std::string(asset.type),
          {{"Content-Security-Policy", content_policy(" 'nonce-" + nonce + "'")}}};
}

Answer asset_answer(const desk::Asset& asset) {
  Answer answer{http::kOk, std::string(asset.bytes), std::string(asset.type)};
  answer.headers.emplace_back("Content-Encoding", "gzip");
  return answer;
}

std::uint64_t picture_number(const Request& request) {
  return static_cast<std::uint64_t>(desk::number_in(request, "number", 0, std::numeric_limits<int>::max()));
}

/// Where the settings have the runs; the usual store if they can't be read.
std::filesystem::path store_in(const std::filesystem::path& settings) {
  try {
    const std::filesystem::path named = settings_in(settings).store;
    if (!named.empty()) return named;
  } catch (const Error&) {
  }
  return Store::usual_path();
}

int width_in(const Request& request) { return desk::number_in(request, "width", kLeastSide, kMostSide); }
int height_in(const Request& request) { return desk::number_in(request, "height", kLeastSide, kMostSide); }

}  // namespace

struct Desk::State {
  DeskOptions options;
  desk::Readings readings;
  desk::Faces faces;
  desk::SettingsForm settings_form;
  desk::Runs runs;
  desk::RunView run_view;
  desk::DemoGame demo_game;
  desk::Door door;
  std::mutex grounds;
  std::deque<std::pair<std::string, std::string>> drawn_grounds;
  std::atomic<Moment> used;
  http::Server server;  // the last: it ends before what its threads use

  explicit State(DeskOptions given)
      : options(std::move(given)),
        readings(std::move(options.values)),
        faces(options.faces.empty() ? usual_faces_folder() : options.faces, options.settings, readings),
        settings_form(options.settings, readings),
        runs(options.store.empty() ? store_in(options.settings) : options.store),
        run_view(runs),
        demo_game(options.demo_game),
        used(monotonic_now()),
        server({.port = options.port, .root = door.root()}) {
    if (desk::assets().empty())
      throw Error(Error::Code::unavailable, "this build has no desk", "", "install npm and build it again");
    door.set_port(server.port());
    server.set_gate([this](const Request& request) { return refusal(request); });
    server.set_otherwise([](const Request&) { return with_headers({http::kNotFound, "There is nothing here.\n"}); });
    add_page();
    add_readings();
    add_faces();
    add_live();
    add_runs();
    add_settings();
    end_first_minute_of_old_hands();
    draw_first_picture();
    server.start();
  }

  /// So that a browser has it at once.
  void draw_first_picture() {
    (void)first_overlay("");
    if (!options.grounds.empty()) (void)ground_png(options.grounds.front(), kUsualWidth / 2, kUsualHeight / 2);
  }

  [[nodiscard]] std::optional<Answer> refusal(const Request& request) {
    auto answer = door.refusal(request);
    if (answer) return with_headers(std::move(*answer));
    used = monotonic_now();
    return std::nullopt;
  }

  void get(const std::string& path, http::Server::Handler handler) {
    server.add_route(Method::get, path, [handler = desk::guarded(std::move(handler))](const Request& request) {
      return with_headers(handler(request));
    });
  }

  void get_json(const std::string& path, std::function<Json(const Request&)> handler) {
    get(path, [handler = std::move(handler)](const Request& request) { return desk::json_answer(handler(request)); });
  }

  void post_json(const std::string& path, std::function<Json(const Json&)> handler) {
    constexpr std::size_t kMostBody = std::size_t{64} << 10;
    const auto guarded = desk::guarded_json(
        [handler = std::move(handler)](const Json& json) { return desk::json_answer(handler(json)); });
    server.add_route(
        Method::post, path, [guarded](const Request& request) { return with_headers(guarded(request)); }, kMostBody);
  }

  void add_page() {
    const desk::Asset &face_page = desk::assets()[0], &other_page = desk::assets()[1];
    for (const desk::Asset& asset : desk::assets().subspan(2))
      get(std::string(asset.path), [&asset](const Request&) { return asset_answer(asset); });
    for (const char* place : {"/live", "/runs", "/machine"})
      get(place, [&other_page](const Request&) { return page(other_page, ""); });
    for (const char* place : {"/", "/face"}) {
      get(place, [this, &face_page](const Request& request) {
        const auto code = request.parameter("code");
        return code && request.path() == "/" ? door.enter(request, *code) : page(face_page, first_picture(request));
      });
    }
  }

  /// Where a face's picture is; null if it can't be drawn. The page says why, for instance settings with a mistake.
  Json first_overlay(const std::string& face) {
    try {
      const Json scene = faces.first_view(face, kUsualWidth, kUsualHeight)["scene"];
      return scene.is_null() ? Json() : scene["picture"];
    } catch (const Error&) {
      return nullptr;
    }
  }

  /// The overlay on the usual picture, which the page shows until its own is there; empty if another one is asked for.
  std::string first_picture(const Request& request) {
    for (const char* choice : {"size", "ground", "view"}) {
      if (request.parameter(choice)) return "";
    }
    const Json overlay = first_overlay(request.parameter("face").value_or(""));
    if (overlay.is_null() || options.grounds.empty()) return "";
    return fmt::format(
        R"(<svg class="first-picture" viewBox="0 0 {0} {1}" aria-hidden="true"><image href="./api/ground?name={2}&amp;width={3}&amp;height={4}" width="{0}" height="{1}"/><image href="./api/face/picture?number={5}" x="{6}" y="{7}"/></svg>)",
        kUsualWidth, kUsualHeight, options.grounds.front(), kUsualWidth / 2, kUsualHeight / 2,
        overlay["number"].get<std::uint64_t>(), overlay["x"].get<int>(), overlay["y"].get<int>());
  }

  void add_readings() {
    get_json("/api/readings",
             [this](const Request& request) { return readings.list(request.parameter("words").value_or("")); });
  }

  void add_faces() {
    get_json("/api/keys", [](const Request&) { return desk::key_table_json(); });
    get_json("/api/faces", [this](const Request&) { return faces.list(); });
    get_json("/api/first-view", [this](const Request& request) {
      Json view = faces.first_view(request.parameter("face").value_or(""), width_in(request), height_in(request));
      view["keys"] = desk::key_table_json();
      view["readings"] = readings.list("");
      return view;
    });
    get_json("/api/face", [this](const Request& request) { return faces.show(desk::text_in(request, "name")); });
    get_json("/api/face/scene", [this](const Request& request) {
      return faces.scene(desk::text_in(request, "name"), width_in(request), height_in(request));
    });
    get("/api/face/picture", [this](const Request& request) {
      return Answer{http::kOk, faces.picture(picture_number(request)), "image/png"};
    });
    get("/api/ground", [this](const Request& request) { return ground(request); });
    get("/api/face/pack", [this](const Request& request) { return packed(desk::text_in(request, "name")); });
    server.add_route(
        Method::post, "/api/face/unpack", desk::guarded([this](const Request& request) {
          return with_headers(desk::json_answer(faces.unpack(desk::text_in(request, "name"), request.body())));
        }),
        limits::kHttpBody);
    add_face_changes();
  }

  void add_face_changes() {
    post_json("/api/face/edit", [this](const Json& what) { return faces.edit(what); });
    post_json("/api/face/undo", [this](const Json& what) { return faces.step_back(desk::text_in(what, "name")); });
    post_json("/api/face/redo", [this](const Json& what) { return faces.step_forward(desk::text_in(what, "name")); });
    post_json("/api/face/make", [this](const Json& what) {
      return faces.make(desk::text_in(what, "from"), desk::text_in(what, "name"));
    });
    post_json("/api/face/choose", [this](const Json& what) {
      return faces.choose(desk::text_in(what, "name"), desk::text_or_none(what, "program"));
    });
  }

  /// The last few are kept.
  std::string ground_png(const std::string& name, int width, int height) {
    constexpr std::size_t kMost = 4;
    const std::lock_guard lock(grounds);
    std::string what = fmt::format("{} {}x{}", name, width, height);
    const auto is_it = [&](const auto& one) { return one.first == what; };
    if (const auto found = std::find_if(drawn_grounds.begin(), drawn_grounds.end(), is_it);
        found != drawn_grounds.end())
      return found->second;
    drawn_grounds.emplace_back(std::move(what), encode_png(options.draw_ground(name, width, height)));
    if (drawn_grounds.size() > kMost) drawn_grounds.pop_front();
    return drawn_grounds.back().second;
  }

  /// It is there when the first minute is over.
  std::filesystem::path first_minute_file() const {
    return (options.state.empty() ? user_folder("XDG_STATE_HOME", ".local/state") : options.state) /
           "first-minute-over";
  }

  Json first_minute() {
    const bool is_over = std::filesystem::exists(first_minute_file());
    const std::int64_t run = is_over ? 0 : runs.newest();
    return {{"is_over", is_over}, {"has_face", faces.has_own()}, {"run", run > 0 ? Json(run) : Json()}};
  }

  /// A user who already has a face and a run isn't shown the first minute.
  void end_first_minute_of_old_hands() {
    try {
      if (faces.has_own() && runs.newest() > 0) end_first_minute();
    } catch (const Error&) {  // the folder isn't writable: the user can still dismiss it
    }
  }

  void end_first_minute() { replace_file(first_minute_file(), ""); }

  void add_settings() {
    get_json("/api/first-minute", [this](const Request&) { return first_minute(); });
    post_json("/api/first-minute", [this](const Json&) {
      end_first_minute();
      return first_minute();
    });
    get_json("/api/settings", [this](const Request&) { return settings_form.show(); });
    get_json("/api/formula", [this](const Request& request) {
      return settings_form.try_formula(desk::text_in(request, "formula"), request.parameter("unit").value_or(""));
    });
    post_json("/api/settings", [this](const Json& what) { return settings_form.set(what); });
    post_json("/api/settings/formula", [this](const Json& what) { return settings_form.add_formula(what); });
    post_json("/api/settings/remove", [this](const Json& what) { return settings_form.remove_computed(what); });
    post_json("/api/cue", [this](const Json& what) { return settings_form.give_cue(what); });
  }

  void add_runs() {
    get_json("/api/runs", [this](const Request& request) { return runs.list(request); });
    get_json("/api/runs/figures",
             [this](const Request& request) { return runs.figures(desk::text_in(request, "runs")); });
    get_json("/api/run", [this](const Request& request) { return run_view.figures(request); });
    get_json("/api/run/details", [this](const Request& request) { return run_view.details(request); });
    get_json("/api/run/lines", [this](const Request& request) { return run_view.lines(request); });
    get_json("/api/compare", [this](const Request& request) { return desk::compared(runs, request); });
    get_json("/api/definitions", [](const Request&) { return desk::definitions_json(); });
    get("/api/share", [this](const Request& request) { return desk::shared(runs, request); });
    const auto add_change = [this](const char* path, void (desk::Runs::*change)(const Json&) const) {
      post_json(path, [this, change](const Json& what) {
        (runs.*change)(what);
        return Json{{"done", true}};
      });
    };
    add_change("/api/runs/change", &desk::Runs::change);
    add_change("/api/runs/remove", &desk::Runs::remove);
    add_change("/api/runs/restore", &desk::Runs::restore);
    server.add_route(Method::post, "/api/runs/add", desk::guarded([this](const Request& request) {
                       return with_headers(desk::json_answer(runs.add(request)));
                     }),
                     limits::kHttpBody);
  }

  Answer ground(const Request& request) {
    const std::string name = desk::text_in(request, "name");
    const auto& known = options.grounds;
    if (std::find(known.begin(), known.end(), name) == known.end())
      throw Error(Error::Code::not_found, fmt::format("there is no picture '{}'", name));
    return {http::kOk, ground_png(name, width_in(request), height_in(request)), "image/png"};
  }

  Answer packed(const std::string& name) {
    Answer answer{http::kOk, faces.pack(name), "application/zip"};
    answer.headers.emplace_back("Content-Disposition", "attachment; filename=\"face.zip\"");
    return answer;
  }

  void add_live() {
    get("/api/live", [this](const Request& request) {
      Answer answer{http::kOk, "", "text/event-stream"};
      answer.events = [this, next = desk::live_events(split(request.parameter("readings").value_or(""), ','))] {
        used = monotonic_now();
        return next();
      };
      return answer;
    });
    const auto meter_in = [](const Json& what, const char* other) {
      const auto meter = what.find("meter");
      if (meter == what.end() || !meter->is_number_integer() || !what.contains(other))
        throw Error(Error::Code::invalid, fmt::format("a meter and a {} are missing", other));
      return meter->get<int>();
    };
    post_json("/api/meter",
              [=](const Json& what) { return desk::tell(meter_in(what, "command"), what.at("command")); });
    post_json("/api/record",
              [=](const Json& what) { return desk::record(meter_in(what, "plan"), desk::plan_in(what.at("plan"))); });
    get_json("/api/demo-game", [this](const Request&) { return demo_game.state(); });
    post_json("/api/demo-game", [this](const Json&) {
      demo_game.start();
      return demo_game.state();
    });
    get_json("/api/plan", [](const Request& request) {
      Json plan;
      for (const char* name : {"for", "after", "repeat", "pause"}) plan[name] = request.parameter(name).value_or("");
      return Json{{"words", plan_words(desk::plan_in(plan))}};
    });
  }
};

Desk::Desk(DeskOptions options) : state_(std::make_unique<State>(std::move(options))) {}
Desk::~Desk() = default;

int Desk::port() const { return state_->server.port(); }

std::string Desk::address() {
  return fmt::format("http://127.0.0.1:{}{}/?code={}", port(), state_->door.root(), state_->door.new_code());
}

const std::filesystem::path& Desk::store() const { return state_->runs.file(); }

Moment Desk::last_used() const { return state_->used; }

}  // namespace idlemeter
