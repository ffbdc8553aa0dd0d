#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <array>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <sstream>

#include <colvik/insight.hpp>

#include "commands.h"
#include "cost.h"
#include "judged.h"

namespace colvik::tool {

void add_run(CLI::App& app, RunOptions& o) {
  CLI::App* c =
      app.add_subcommand("run", "Run scenes: what fired, and whether it is what was expected");
  c->add_option("scene", o.scenes, "scene files (TOML)")->required();
  add_settings(*c, o.settings);
  c->add_option("--events", o.events,
                "write the event log as JSON Lines to this file; -: to standard output, and the "
                "report to standard error");
  c->add_option("--record", o.record,
                "write a recording to this file as the run goes, for draw, replay, timeline, ...");
  c->add_flag("--all", o.all,
              "also log objects that came and went, with the reaction that removed them, and "
              "changes of numbers");
  c->add_flag("--during", o.during, "also log touches that go on, one line each step");
  c->add_option("--firings", o.firings, "how many firings of a reaction to list")
      ->capture_default_str();
  c->add_option("--colour", o.colour, "auto, always or never")
      ->check(CLI::IsMember({"auto", "always", "never"}))
      ->capture_default_str();
  c->add_flag("--coverage", o.coverage, "everything that the run did not try, not only the count");
  c->add_option("--require-coverage", o.require_coverage,
                "percent; less counts as a missed expectation")
      ->check(CLI::Range(0.0, 100.0));
  c->add_option("--junit", o.junit,
                "write the results as JUnit XML to this file, or - for standard output");
  c->add_option(
      "--json", o.json,
      "write the results and what was tried as JSON to this file, or - for standard output");
  c->add_flag("--cost", o.cost, "what the run cost: objects, pairs, contacts, time of a step");
  c->footer(
      "Exit status: 0 all expectations met, 1 some missed, 2 the scene or the call is wrong.\n\n"
      "Example:\n  build/bin/colvik run data/night-depot.toml --events - --set arrival=10");
}

namespace {

// Runs to the end and measures each step.
template <int D>
StepCost<D> run_measured(Run<D>& run, double length, bool tells_cost, std::ostream& err) {
  using Clock = std::chrono::steady_clock;
  StepCost<D> cost;
  auto before = Clock::now();
  run_shown(run, length, err, [&] {
    if (!tells_cost) return;
    cost.note(run.world, std::chrono::duration<double>(Clock::now() - before).count());
    before = Clock::now();
  });
  return cost;
}

// A recording that follows the run, with --record; an error when it cannot be written.
template <int D>
Result<std::unique_ptr<RecordingFile<D>>> recording_of(const Scene<D>& scene, Run<D>& run,
                                                       const std::string& path) {
  if (path.empty()) return std::unique_ptr<RecordingFile<D>>();
  RecordingAbout<D> about{std::filesystem::path(scene.file).stem().string(), scene.length};
  if (!scene.view.empty()) about.view = scene.regions.at(scene.view);
  auto file = RecordingFile<D>::create(path, run.world, run.rules, about);
  if (file) file.value()->follow(run);
  return file;
}

// Surfaces that face away: things went through them from behind, and none was ever stopped.
template <int D>
void tell_what_faces_away(std::ostream& out, const Run<D>& run) {
  for (const ObjectId id : run.world.objects()) {
    if (!run.world.passed_from_behind(id)) continue;
    const std::string& name = run.world.object(id).name;
    const std::uint32_t number = run.trace.find(name);
    const auto touched = [&](const TraceTouch& t) {
      return t.channel == Channel::solid && (t.self == number || t.other == number);
    };
    if (std::any_of(run.trace.touches().begin(), run.trace.touches().end(), touched)) continue;
    out << fmt::format(
        "'{}' faces away from all that came near: they passed it from behind. Reverse the order of "
        "its "
        "corners, or say two_sided = true\n",
        name);
  }
}

template <int D>
int run_one(const Scene<D>& scene, const RunOptions& o, bool colour, std::ostream& out,
            std::ostream& err, std::ostream* events, std::ostream* junit, std::ostream* json) {
  const auto run = start_run(scene);
  if (o.during) run->world.ask_during(TagQuery(), TagQuery());
  const auto recording = recording_of(scene, *run, o.record);
  if (!recording) return wrong("run", recording.error(), err);
  const StepCost<D> cost = run_measured(*run, scene.length, o.cost, err);
  if (events != nullptr) write_events(*events, run->trace, o.all);
  out << fmt::format("{}: {}D, {:g} s at {:g} steps a second\n\n", scene.file, D, scene.length,
                     scene.world.rate);
  const std::vector<std::string> reasons =
      why_missed<D>(scene.expectations, run->trace, scene.length, [&] { return start_run(scene); });
  out << run_report<D>(run->trace, scene.expectations, {colour, o.firings, o.coverage, reasons});
  tell_what_faces_away(out, *run);
  if (o.cost) out << '\n' << cost_report(cost, run->world, run->trace);
  if (junit != nullptr) write_junit<D>(*junit, scene.file, run->trace, scene.expectations, reasons);
  if (json != nullptr) write_results<D>(*json, scene.file, run->trace, scene.expectations);
  if (recording.value() != nullptr)
    if (const auto finished = recording.value()->finish(judged<D>(scene, *run, reasons)); !finished)
      return wrong("run", finished.error(), err);
  if (o.require_coverage > 0)
    if (const double percent = coverage(run->trace, std::span(scene.expectations)).percent();
        percent < o.require_coverage) {
      out << fmt::format("The run tried {:.1f}% of what there is, and {:g}% are required\n",
                         percent, o.require_coverage);
      return kSomeMissed;
    }
  if (const std::size_t stopped = run->world.stopped_count(); stopped > 0) {
    out << fmt::format(
        "Bodies were stopped {} as their state was no longer finite: check masses, sizes and "
        "forces\n",
        stopped == 1 ? "once" : fmt::format("{} times", stopped));
    return kSomeMissed;
  }
  for (const Expectation<D>& e : scene.expectations)
    if (!judge(e, run->trace).met) return kSomeMissed;
  return kAllMet;
}

// What --events, --json and --junit write to.
struct Output {
  const std::string* path = nullptr;
  std::ofstream file{};
  std::ostream* stream = nullptr;  // none without the option

  bool open(std::ostream& out) {
    if (path->empty()) return true;
    if (*path == "-") {
      stream = &out;
      return true;
    }
    file.open(*path);
    stream = &file;
    return file.good();
  }
};

}  // namespace

int run(const RunOptions& o, bool terminal, std::ostream& out, std::ostream& err) {
  for (const auto& [option, path] : {std::pair{"--events", &o.events},
                                     {"--junit", &o.junit},
                                     {"--json", &o.json},
                                     {"--record", &o.record}})
    if (!path->empty() && o.scenes.size() > 1) {
      err << fmt::format("colvik run: {} goes with one scene; run them one by one\n", option);
      return kWrong;
    }
  if (o.all && o.events.empty()) {
    err << "colvik run: --all without --events FILE\n";
    return kWrong;
  }
  std::vector<LoadedScene> scenes;  // all are read before any is run: nothing half done
  bool good = true;
  for (const std::string& path : o.scenes) {
    scenes.push_back(load(path, o.settings, err));
    good = good && scenes.back().ok();
  }
  if (!good) return kWrong;

  for (const std::string* path : {&o.junit, &o.json, &o.events, &o.record})
    for (const std::string& scene : o.scenes) {
      std::error_code ignored;
      if (!std::filesystem::equivalent(*path, scene, ignored)) continue;
      err << fmt::format("{}: is the scene itself; a file that may be overwritten\n", *path);
      return kWrong;
    }
  Output junit{&o.junit};
  Output json{&o.json};
  Output events{&o.events};
  const std::array<Output*, 3> outputs{&junit, &json, &events};
  std::ostream* report = &out;
  for (Output* output : outputs) {
    if (*output->path == "-" && report == &err) {
      err << "colvik run: two of --events, --json and --junit go to standard output; one of them\n";
      return kWrong;
    }
    if (!output->open(out)) {
      err << fmt::format("{}: the file cannot be written; a path in a folder that exists\n",
                         *output->path);
      return kWrong;
    }
    if (output->stream == &out) report = &err;
  }
  const char* no_colour = std::getenv("NO_COLOR");
  const bool wanted = o.colour == "always" || (o.colour == "auto" && terminal);
  const bool colour = wanted && (no_colour == nullptr || *no_colour == '\0');
  int worst = kAllMet;
  for (std::size_t i = 0; i < scenes.size(); ++i) {
    if (i > 0) *report << "\n";
    worst = std::max(worst, std::visit(
                                [&](const auto& scene) {
                                  return run_one(scene, o, colour, *report, err, events.stream,
                                                 junit.stream, json.stream);
                                },
                                *scenes[i].scene));
  }
  for (Output* output : outputs)
    if (output->stream != nullptr && !output->stream->flush()) {
      err << fmt::format("{}: writing failed; is the disk full?\n", *output->path);
      return kWrong;
    }
  return worst;
}

void add_settings(CLI::App& command, std::vector<std::string>& settings) {
  command.add_option("--set", settings, "NAME=VALUE: the value of a parameter; may be repeated")
      ->take_all()
      ->allow_extra_args(false);
  add_files(command);
}

void add_files(CLI::App& command) {
  command
      .add_option("--files", files_folder(),
                  "folder that files which scenes name must be in; a scene's own when left out")
      ->check(CLI::ExistingDirectory);
}

std::vector<Setting> settings_of(const std::vector<std::string>& texts,
                                 std::vector<Problem>& problems) {
  std::vector<Setting> pairs;
  for (const std::string& text : texts) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0)
      problems.push_back({{"--set " + text, 0, 0}, "does not set anything", "NAME=VALUE"});
    else pairs.emplace_back(text.substr(0, equals), text.substr(equals + 1));
  }
  return pairs;
}

std::optional<std::vector<double>> numbers_in(const std::string& text) {
  std::vector<double> all;
  std::istringstream in(text);
  for (std::string part; std::getline(in, part, ',');) {
    std::size_t used = 0;
    try {
      all.push_back(std::stod(part, &used));
    } catch (const std::exception&) {
      return std::nullopt;
    }
    if (used != part.size()) return std::nullopt;
  }
  return all;
}

Result<void> replace_scene(const std::string& path, const std::string& text,
                           const std::vector<std::string>& settings) {
  const std::string beside = path + ".replacing";
  {
    std::ofstream out(beside, std::ios::binary);
    out << text;
    if (!out.flush())
      return Error{beside, "cannot be written; nothing was changed", "a folder to write in"};
  }
  std::ostringstream problems;
  std::error_code failed;
  const bool good = load(beside, settings, problems).ok();
  if (good) std::filesystem::rename(beside, path, failed);
  if (good && !failed) return {};
  std::filesystem::remove(beside, failed);
  return Error{path,
               good ? "cannot be replaced; nothing was changed"
                    : "is not usable with it; nothing was changed: " + problems.str(),
               ""};
}

std::string& files_folder() {
  static std::string folder;
  return folder;
}

LoadedScene load_quietly(const std::string& path, std::span<const Setting> settings) {
  return load_scene(path, settings, files_folder());
}

LoadedScene load(const std::string& path, const std::vector<std::string>& settings,
                 std::ostream& err) {
  constexpr std::size_t kMostTold = 20;
  LoadedScene loaded;
  const std::vector<Setting> pairs = settings_of(settings, loaded.problems);
  if (is_recording(path))
    loaded.problems.push_back(
        {{path, 0, 0}, "is a recording", "a scene; story, draw, replay and timeline take both"});
  if (loaded.problems.empty()) loaded = load_quietly(path, pairs);
  for (std::size_t i = 0; i < loaded.problems.size() && i < kMostTold; ++i)
    err << loaded.problems[i].message() << '\n';
  if (loaded.ok())
    std::visit(
        [&](const auto& scene) {
          for (const Problem& note : scene.notes)
            err << note.message() << (note.accepted.empty() ? " (mended)\n" : "\n");
        },
        *loaded.scene);
  if (loaded.problems.size() > kMostTold)
    err << fmt::format("{}: and {} more problems\n", path, loaded.problems.size() - kMostTold);
  return loaded;
}

}  // namespace colvik::tool
