#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <cstdlib>
#include <fstream>
#include <iostream>

#include <colvik/insight.hpp>

#include "commands.h"

namespace colvik::tool {

void add_run(CLI::App& app, RunOptions& o) {
  CLI::App* c = app.add_subcommand("run", "Run scenes: what fired, and whether it is what was expected");
  c->add_option("scene", o.scenes, "scene files (TOML)")->required();
  add_settings(*c, o.settings);
  c->add_option("--events", o.events, "write the event log as JSON Lines to this file, or - for standard output");
  c->add_flag("--during", o.during, "also log touches that go on, one line each step");
  c->add_option("--firings", o.firings, "how many firings of a reaction to list")->capture_default_str();
  c->add_option("--colour", o.colour, "auto, always or never")
      ->check(CLI::IsMember({"auto", "always", "never"}))
      ->capture_default_str();
  c->footer(
      "Exit status: 0 all expectations met, 1 some missed, 2 the scene or the call is wrong.\n\n"
      "Example:\n  build/bin/colvik run data/night-depot.toml --events - --set arrival=10");
}

namespace {

template <int D>
bool run_one(const Scene<D>& scene, const RunOptions& o, bool colour, std::ostream& out, std::ostream* events) {
  const auto run = start_run(scene);
  if (o.during) run->world.ask_during(TagQuery(), TagQuery());
  run->run_for(scene.length);
  if (events != nullptr) write_events(*events, run->trace);
  if (events == &out) out << '\n';
  out << fmt::format("{}: {}D, {:g} s at {:g} steps a second\n\n", scene.file, D, scene.length, scene.world.rate);
  out << run_report<D>(run->trace, scene.expectations, {colour, o.firings});
  for (const Expectation<D>& e : scene.expectations)
    if (!judge(e, run->trace).met) return false;
  return true;
}

}  // namespace

int run(const RunOptions& o, bool terminal, std::ostream& out, std::ostream& err) {
  if (!o.events.empty() && o.scenes.size() > 1) {
    err << "colvik run: --events goes with one scene; run them one by one\n";
    return kWrong;
  }
  std::vector<LoadedScene> scenes;  // all are read before any is run: nothing half done
  bool good = true;
  for (const std::string& path : o.scenes) {
    scenes.push_back(load(path, o.settings, err));
    good = good && scenes.back().ok();
  }
  if (!good) return kWrong;

  std::ofstream file;
  std::ostream* events = nullptr;
  if (o.events == "-") {
    events = &out;
  } else if (!o.events.empty()) {
    file.open(o.events);
    if (!file) {
      err << fmt::format("{}: the file cannot be written; a path in a folder that exists\n", o.events);
      return kWrong;
    }
    events = &file;
  }
  const char* no_colour = std::getenv("NO_COLOR");
  const bool wanted = o.colour == "always" || (o.colour == "auto" && terminal);
  const bool colour = wanted && (no_colour == nullptr || *no_colour == '\0');
  bool all_met = true;
  for (std::size_t i = 0; i < scenes.size(); ++i) {
    if (i > 0) out << "\n";
    all_met = std::visit([&](const auto& scene) { return run_one(scene, o, colour, out, events); }, *scenes[i].scene) &&
              all_met;
  }
  if (file.is_open() && !file.flush()) {
    err << fmt::format("{}: writing failed; is the disk full?\n", o.events);
    return kWrong;
  }
  return all_met ? kAllMet : kSomeMissed;
}

void add_settings(CLI::App& command, std::vector<std::string>& settings) {
  command.add_option("--set", settings, "NAME=VALUE: the value of a parameter; may be repeated")
      ->take_all()
      ->allow_extra_args(false);
}

LoadedScene load(const std::string& path, const std::vector<std::string>& settings, std::ostream& err) {
  constexpr std::size_t kMostTold = 20;
  LoadedScene loaded;
  std::vector<Setting> pairs;
  for (const std::string& text : settings) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0)
      loaded.problems.push_back({{"--set " + text, 0, 0}, "does not set anything", "NAME=VALUE"});
    else pairs.emplace_back(text.substr(0, equals), text.substr(equals + 1));
  }
  if (loaded.problems.empty()) loaded = load_scene(path, pairs);
  for (std::size_t i = 0; i < loaded.problems.size() && i < kMostTold; ++i) err << loaded.problems[i].message() << '\n';
  if (loaded.ok())
    std::visit(
        [&](const auto& scene) {
          for (const Problem& note : scene.notes) err << note.message() << " (mended)\n";
        },
        *loaded.scene);
  if (loaded.problems.size() > kMostTold)
    err << fmt::format("{}: and {} more problems\n", path, loaded.problems.size() - kMostTold);
  return loaded;
}

}  // namespace colvik::tool
