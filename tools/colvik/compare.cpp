#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <fstream>
#include <ostream>

#include <colvik/explain.hpp>
#include <colvik/insight.hpp>

#include "commands.h"

namespace colvik::tool {

void add_compare(CLI::App& app, CompareOptions& o) {
  CLI::App* c = app.add_subcommand(
      "compare",
      "What happens now that did not: a scene with two settings, two scenes, or two event logs");
  c->add_option("files", o.files, "one or two scene files (TOML), or two event logs (.jsonl)")
      ->required()
      ->expected(1, 2);
  add_settings(*c, o.settings);
  c->add_option("--with", o.with,
                "NAME=VALUE: the value of a parameter in the second run; may be repeated")
      ->take_all()
      ->allow_extra_args(false);
  c->add_option("--slack", o.slack, "times that differ by less are the same, seconds")
      ->check(CLI::NonNegativeNumber)
      ->capture_default_str();
  c->footer(
      "Exit status: 0 the same happened, 1 something else did, 2 the scene or the call is "
      "wrong.\n\n"
      "Example:\n  build/bin/colvik compare data/night-depot.toml --with arrival=20");
}

namespace {

bool is_log(const std::string& path) { return path.ends_with(".jsonl"); }

// What happened in one of the two.
struct Happened {
  std::vector<Happening> all;
  std::optional<LoadedScene> scene{};  // not of a log
};
// Nothing, after an error message, when it cannot be read.
std::optional<Happened> one(const std::string& path, const std::vector<std::string>& settings,
                            std::ostream& err) {
  if (is_log(path)) {
    std::ifstream file(path);
    if (!file) {
      err << fmt::format("{}: the file cannot be read; an event log (JSON Lines)\n", path);
      return std::nullopt;
    }
    auto all = read_happenings(file, path);
    if (all) return Happened{std::move(all).value(), {}};
    err << all.error().message() << '\n';
    return std::nullopt;
  }
  if (is_recording(path)) {
    const AnySeen seen = see({path, settings}, err);
    if (!seen) return std::nullopt;
    return std::visit(
        [](const auto& what) {
          return Happened{happenings(what.trace()), {}};
        },
        *seen);
  }
  LoadedScene loaded = load(path, settings, err);
  if (!loaded.ok()) return std::nullopt;
  std::vector<Happening> all = std::visit(
      [&](const auto& scene) {
        const auto run = start_run(scene);
        run_shown(*run, scene.length, err);
        return happenings(run->trace);
      },
      *loaded.scene);
  return Happened{std::move(all), std::move(loaded)};
}

// Why it did not happen in the run where it is missing, for the first of them: each takes a run.
void explain_differences(std::vector<Difference>& all, const Happened& first,
                         const Happened& second) {
  constexpr int kExplained = 6;
  int explained = 0;
  std::vector<Difference*> order;  // reactions before touches
  for (const bool touches : {false, true})
    for (Difference& d : all) {
      const bool gone = d.how == Difference::How::only_first;
      if (d.how != Difference::How::other_time &&
          (gone ? d.first : d.second).what.ends_with(" touch") == touches)
        order.push_back(&d);
    }
  for (Difference* difference : order) {
    if (explained == kExplained) break;
    Difference& d = *difference;
    const bool gone = d.how == Difference::How::only_first;
    const Happening& h = gone ? d.first : d.second;
    const std::optional<LoadedScene>& scene = gone ? second.scene : first.scene;
    if (!scene || h.self.empty()) continue;
    ++explained;
    WatchQuestion q;
    q.first = "@" + h.self;
    if (!h.other.empty()) q.second = "@" + h.other;
    if (!h.what.ends_with(" touch")) q.reaction = h.what;
    const Result<Why> why =
        std::visit([&](const auto& s) { return colvik::why(s, q); }, *scene->scene);
    if (why && why.value().fired.empty() && !why.value().not_fired.empty())
      d.why = why.value().not_fired.front().sentence;
  }
}

}  // namespace

int compare_runs(const CompareOptions& o, std::ostream& out, std::ostream& err) {
  if (o.files.size() == 1 && (is_log(o.files[0]) || is_recording(o.files[0]))) {
    err << "colvik compare: one run has nothing to be compared with; two logs or recordings\n";
    return kWrong;
  }
  if (o.files.size() == 1 && o.with.empty()) {
    err << "colvik compare: both runs would be the same; --with NAME=VALUE for the second, or a "
           "second file\n";
    return kWrong;
  }
  const auto first = one(o.files.front(), o.settings, err);
  std::vector<std::string> changed = o.settings;  // later ones count
  changed.insert(changed.end(), o.with.begin(), o.with.end());
  const auto second = first ? one(o.files.back(), changed, err) : std::nullopt;
  if (!first || !second) return kWrong;
  std::vector<Difference> all = compare(first->all, second->all, o.slack);
  explain_differences(all, *first, *second);
  out << compare_report(all);
  return all.empty() ? kAllMet : kSomeMissed;
}

}  // namespace colvik::tool
