// A scene on a page that follows the file, and can be played. Only this machine is served.
#include <fmt/format.h>
#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <atomic>
#include <condition_variable>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <mutex>
#include <ostream>
#include <regex>
#include <sstream>
#include <thread>

#include "commands.h"
#include "judged.h"
#include "play.h"

// After Eigen, whose names its system headers redefine.
#include <httplib.h>

namespace colvik::tool {

void add_watch(CLI::App& app, WatchOptions& o) {
  CLI::App* c = app.add_subcommand(
      "watch", "Serve a scene as a page that follows the file, and play it with keys");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  add_settings(*c, o.settings);
  c->add_option("--port", o.port, "of 127.0.0.1; 0: any that is free")
      ->check(CLI::Range(0, 65535))
      ->capture_default_str();
  c->footer(
      "Ctrl-C ends it. [[controls]] in the scene say what keys do (docs/looking.md).\n\nExit "
      "status: "
      "0 ended, 2 the call is wrong or the port is taken.\n\nExample:\n  build/bin/colvik watch "
      "data/night-depot.toml");
}

namespace {

using Message = nlohmann::json;

std::atomic<bool> ended = false;  // by a signal

// Buffers of a glTF model in files of their own.
std::vector<std::string> buffers_of(const std::filesystem::path& model) {
  std::ifstream in(model, std::ios::binary);
  const Message json = Message::parse(in, nullptr, false);
  std::vector<std::string> files;
  if (!json.is_object() || !json.contains("buffers") || !json["buffers"].is_array()) return files;
  for (const Message& buffer : json["buffers"]) {
    if (!buffer.is_object() || !buffer.contains("uri") || !buffer["uri"].is_string()) continue;
    const auto uri = buffer["uri"].get<std::string>();
    if (!uri.starts_with("data:")) files.push_back((model.parent_path() / uri).string());
  }
  return files;
}

// The files that a scene names, texts in it that are files beside it, and those that they name.
std::vector<std::string> files_of(const std::string& scene) {
  std::vector<std::string> files{scene};
  const std::filesystem::path folder = std::filesystem::path(scene).parent_path();
  std::ifstream in(scene, std::ios::binary);
  std::stringstream read;
  read << in.rdbuf();
  const std::string text = read.str();
  const std::regex quoted("\"([^\"\\n]+)\"|'([^'\\n]+)'");
  for (std::sregex_iterator at(text.begin(), text.end(), quoted), end; at != end; ++at) {
    const std::filesystem::path path =
        folder / ((*at)[1].matched ? (*at)[1].str() : (*at)[2].str());
    std::error_code ignored;
    if (!std::filesystem::is_regular_file(path, ignored)) continue;
    files.push_back(path.string());
    if (path.extension() != ".gltf") continue;
    const std::vector<std::string> more = buffers_of(path);
    files.insert(files.end(), more.begin(), more.end());
  }
  return files;
}

// Changes when one of them is saved.
std::string state_of(const std::vector<std::string>& files) {
  std::string state;
  for (const std::string& file : files) {
    std::error_code gone;
    const auto time = std::filesystem::last_write_time(file, gone);
    if (gone) continue;
    state += fmt::format("{} {} {}\n", file, time.time_since_epoch().count(),
                         std::filesystem::file_size(file, gone));
  }
  return state;
}

using AnyScene = std::variant<Scene<2>, Scene<3>>;
using AnyPlayed = std::variant<std::unique_ptr<Played<2>>, std::unique_ptr<Played<3>>>;

class Watching {
 public:
  Watching(const WatchOptions& options, std::vector<Setting> settings, std::ostream& out)
      : o_(options), out_(out), settings_(std::move(settings)) {}

  // Loads the scene and runs it. The last good run stays when there are mistakes.
  void look() {
    std::vector<std::string> files = files_of(o_.scene);
    std::string seen = state_of(files);
    const LoadedScene loaded = load_quietly(o_.scene, settings_);
    std::vector<std::string> problems;
    for (const Problem& p : loaded.problems) problems.push_back(p.message());
    std::string said;
    std::string page;
    const std::string title = std::filesystem::path(o_.scene).stem().string();
    if (loaded.ok()) {
      said = std::visit(
          [&]<int D>(const Scene<D>& scene) {
            const auto run = start_run(scene);
            run->run_for(scene.length);
            ReplayOptions<D> options{.title = title, .verdicts = judged(scene, *run)};
            if (!scene.view.empty()) options.view = scene.regions.at(scene.view);
            options.live = kPlace;
            const Result<std::string> made = replay_page(run->trace, options);
            if (made) page = made.value();
            else problems.push_back(made.error().message());
            const auto met = std::count_if(options.verdicts.begin(), options.verdicts.end(),
                                           [](const Judged& v) { return v.met; });
            return fmt::format("{} of {} expectations met", met, options.verdicts.size());
          },
          *loaded.scene);
    } else {
      said = fmt::format("{} problems; the last good run is kept", problems.size());
      for (const std::string& p : problems) said += "\n  " + p;
    }
    if (page.empty() && page_.empty()) {  // nothing was ever good
      ReplayOptions<2> options{.title = title};
      options.live = kPlace;
      page = replay_page(Trace<2>(), options).value();
    }
    const std::lock_guard lock(mutex_);
    files_ = std::move(files);
    seen_ = std::move(seen);
    ++version_;
    problems_ = std::move(problems);
    if (loaded.ok()) scene_ = *loaded.scene;
    if (!page.empty()) {
      page_ = std::move(page);
      shown_ = version_;
    }
    out_ << said << std::endl;
    changed_.notify_all();
  }
  // Until the end: looks whenever something was saved.
  void follow(httplib::Server& server) {
    while (!ended) {
      std::this_thread::sleep_for(std::chrono::milliseconds(120));
      const std::string now = state_of(files_);
      if (now == seen_ || !std::filesystem::exists(o_.scene)) continue;
      std::this_thread::sleep_for(std::chrono::milliseconds(40));  // it may still be written
      look();
    }
    changed_.notify_all();
    server.stop();
  }

  std::string page() {
    const std::lock_guard lock(mutex_);
    Message keys = Message::array();
    if (scene_)
      std::visit(
          [&](const auto& scene) {
            for (const auto& c : scene.controls)
              keys.push_back(
                  {{"key", c.key}, {"does", c.walker + (c.input.empty() ? "" : " " + c.input)}});
          },
          *scene_);
    const Message live = {{"scene", std::filesystem::path(o_.scene).filename().string()},
                          {"version", version_},
                          {"shown", shown_},
                          {"keys", keys},
                          {"problems", problems_}};
    std::string text = live.dump();
    for (std::size_t at = 0; (at = text.find("</", at)) != std::string::npos;)
      text.replace(at, 2, "<\\/");
    std::string page = page_;
    page.replace(page.find(kPlace), kPlace.size(), text);
    return page;
  }
  // Waits for a version after that one, or a while.
  Message state(std::uint64_t since) {
    std::unique_lock lock(mutex_);
    changed_.wait_for(lock, std::chrono::seconds(15), [&] { return version_ > since || ended; });
    return {{"version", version_}, {"shown", shown_}, {"problems", problems_}};
  }

  Message play() {
    const std::lock_guard lock(mutex_);
    if (!scene_) throw std::runtime_error("there is no good scene to play; mend what is reported");
    played_scene_ = *scene_;
    played_version_ = version_;
    cursor_ = {};
    std::visit(
        [&]<int D>(const Scene<D>& scene) {
          auto played = std::make_unique<Played<D>>(scene);
          played->step(1, {});
          played_ = std::move(played);
        },
        *played_scene_);
    return update();
  }
  Message step(int steps, const std::set<std::string>& held) {
    const std::lock_guard lock(mutex_);
    need_played();
    std::visit([&](auto& played) { played->step(std::clamp(steps, 1, 600), held); }, *played_);
    return update();
  }
  Message stop() {
    const std::lock_guard lock(mutex_);
    need_played();
    return std::visit(
        [&](auto& played) {
          played->stop();
          std::size_t wishes = 0;
          for (const auto& w : played->walkers()) wishes += w.wishes.size();
          Message j = update();
          j["seconds"] = played->seconds();
          j["wishes"] = wishes;
          j["inputs"] = played->inputs().size();
          j["fired"] = played->trace().firings().size();
          return j;
        },
        *played_);
  }
  Message keep(bool wishes, bool expectations) {
    const std::lock_guard lock(mutex_);
    need_played();
    if (played_version_ != version_ || state_of(files_) != seen_)
      throw std::runtime_error("the scene was saved since it was played; play it again");
    return std::visit(
        [&]<int D>(std::unique_ptr<Played<D>>& played) -> Message {
          if (!played->over()) throw std::runtime_error("it is still played; stop first");
          const auto said = keep_played<D>(o_.scene, std::get<Scene<D>>(*played_scene_), *played,
                                           wishes, expectations, settings_, files_folder());
          if (!said) throw std::runtime_error(said.error().message());
          return {{"said", said.value()}};
        },
        *played_);
  }

 private:
  static constexpr std::string_view kPlace = "{\"place\":\"of what is live\"}";

  void need_played() const {
    if (!played_) throw std::runtime_error("nothing is played; POST /play first");
  }
  Message update() {
    return std::visit(
        [&](auto& played) {
          Message j = Message::parse(replay_update(played->trace(), cursor_));
          j["over"] = played->over();
          return j;
        },
        *played_);
  }

  const WatchOptions& o_;
  std::ostream& out_;
  std::vector<Setting> settings_;
  // Only the thread that follows writes these; others lock first, as it does to write.
  std::mutex mutex_;
  std::vector<std::string> files_;
  std::string seen_;
  std::condition_variable changed_;
  std::uint64_t version_ = 0;
  std::uint64_t shown_ = 0;  // the version that the page is of
  std::vector<std::string> problems_;
  std::string page_;
  std::optional<AnyScene> scene_;
  std::optional<AnyScene> played_scene_;
  std::uint64_t played_version_ = 0;
  std::optional<AnyPlayed> played_;
  ReplayCursor cursor_;
};

// Whether a request comes from a page of this server, or from none.
bool is_own(const httplib::Request& request, int port) {
  const auto own = [&](const std::string& host) {
    return host == fmt::format("127.0.0.1:{}", port) || host == fmt::format("localhost:{}", port);
  };
  if (!own(request.get_header_value("Host"))) return false;
  const std::string origin = request.get_header_value("Origin");
  if (origin.empty()) return request.get_header_value("Sec-Fetch-Site") != "cross-site";
  return origin.starts_with("http://") && own(origin.substr(7));
}

void serve(httplib::Server& server, Watching& watching, const int& port) {
  server.set_pre_routing_handler([&](const httplib::Request& request, httplib::Response& response) {
    response.set_header("Cache-Control", "no-store");
    response.set_header("X-Frame-Options", "DENY");
    if (is_own(request, port)) return httplib::Server::HandlerResponse::Unhandled;
    response.status = 403;
    response.set_content("Only pages of this server are served.\n", "text/plain");
    return httplib::Server::HandlerResponse::Handled;
  });
  const auto answered = [](httplib::Response& response, const auto& make) {
    Message json;
    try {
      json = make();
    } catch (const std::exception& problem) {
      response.status = 400;
      json = {{"problem", problem.what()}};
    }
    response.set_content(json.dump(-1, ' ', false, Message::error_handler_t::replace),
                         "application/json");
  };
  server.Get("/", [&](const httplib::Request&, httplib::Response& response) {
    response.set_content(watching.page(), "text/html; charset=utf-8");
  });
  server.Get("/state", [&, answered](const httplib::Request& request, httplib::Response& response) {
    answered(response,
             [&] { return watching.state(std::stoull("0" + request.get_param_value("since"))); });
  });
  const auto post = [&](const char* path, auto act) {
    server.Post(path,
                [answered, act](const httplib::Request& request, httplib::Response& response) {
                  answered(response, [&] { return act(Message::parse(request.body)); });
                });
  };
  post("/play", [&](const Message&) { return watching.play(); });
  post("/step", [&](const Message& body) {
    return watching.step(body.at("steps").get<int>(), body.at("held").get<std::set<std::string>>());
  });
  post("/stop", [&](const Message&) { return watching.stop(); });
  post("/keep", [&](const Message& body) {
    return watching.keep(body.at("wishes").get<bool>(), body.at("expectations").get<bool>());
  });
}

}  // namespace

int watch(const WatchOptions& o, std::ostream& out, std::ostream& err) {
  std::vector<Problem> problems;
  std::vector<Setting> settings = settings_of(o.settings, problems);
  if (!problems.empty()) {
    err << problems.front().message() << '\n';
    return kWrong;
  }
  if (!std::filesystem::exists(o.scene)) {
    err << fmt::format("{}: the file cannot be read; a scene file\n", o.scene);
    return kWrong;
  }
  httplib::Server server;
  server.set_payload_max_length(std::size_t{1} << 20);
  server.set_keep_alive_timeout(1);
  // By default a second server could share the port.
  server.set_socket_options([](socket_t socket) {
    const int yes = 1;
    setsockopt(socket, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof(yes));
  });
  int port = o.port;
  const bool bound = port == 0 ? (port = server.bind_to_any_port("127.0.0.1")) > 0
                               : server.bind_to_port("127.0.0.1", port);
  if (!bound) {
    err << fmt::format("colvik watch: port {} of 127.0.0.1 is taken; another, or --port 0\n",
                       o.port);
    return kWrong;
  }
  Watching watching(o, std::move(settings), out);
  serve(server, watching, port);
  out << fmt::format("{} at http://127.0.0.1:{}/ until Ctrl-C", o.scene, port) << std::endl;
  watching.look();
  ended = false;
  std::signal(SIGINT, [](int) { ended = true; });
  std::signal(SIGTERM, [](int) { ended = true; });
  std::thread follower([&] { watching.follow(server); });
  server.listen_after_bind();
  ended = true;
  follower.join();
  return kAllMet;
}

}  // namespace colvik::tool
