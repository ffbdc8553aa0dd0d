#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <filesystem>
#include <fstream>
#include <map>
#include <ostream>
#include <sstream>

#include <colvik/insight.hpp>

#include "commands.h"

namespace colvik::tool {

void add_pin(CLI::App& app, PinFileOptions& o) {
  CLI::App* c = app.add_subcommand(
      "pin", "Expectations from what happens now: a run is kept as a test of what it did");
  add_scene_or_recording(*c, o.scene);
  c->add_option("--only", o.only, "tag query or @object: only what one of these had a part in");
  c->add_option("--slack", o.slack, "seconds around the times at which something fired")
      ->check(CLI::NonNegativeNumber)
      ->capture_default_str();
  c->add_option("--audit", o.audit, "a contact log of another engine instead of a run");
  c->add_flag("--write", o.write, "append them to the scene file instead of printing them");
  c->footer(
      "Exit status: 0 pinned, 1 something is no longer as it was pinned, 2 the scene or the call "
      "is wrong.\n\nExample:\n  build/bin/colvik pin data/puck-sorter.toml --only @pucks.1");
}

namespace {

// Appends text to a file, whole or not at all; the scene must still be one.
bool append(const std::string& path, const std::string& added,
            const std::vector<std::string>& settings, std::ostream& err) {
  std::ifstream file(path, std::ios::binary);
  std::stringstream text;
  text << file.rdbuf();
  std::string whole = text.str();
  if (!whole.empty() && whole.back() != '\n') whole += '\n';
  const Result<void> done = replace_scene(path, whole + added, settings);
  if (done) return true;
  err << fmt::format(
      "colvik pin: {}\nIt takes no [[expect]] at its end? Written as expect = [...]? Paste what is "
      "printed without --write.\n",
      done.error().message());
  return false;
}

template <int D>
int pin_trace(const Trace<D>& trace, std::span<const Expectation<D>> expectations,
              const PinFileOptions& o, std::ostream& out, std::ostream& err) {
  const auto made = pins(trace, {o.only, o.slack});
  if (!made) return wrong("pin", made.error(), err);
  // What is pinned already stays as it is, also where it is no longer so.
  std::multimap<std::string, const Expectation<D>*> pinned;
  std::size_t changed = 0;
  for (const Expectation<D>& e : expectations) {
    if (!e.pinned) continue;
    pinned.emplace(pin_subject(e), &e);
    if (judge(e, trace).met) continue;
    ++changed;
    err << fmt::format("{}:{}:{}: no longer as it was pinned: {}\n", e.place.file, e.place.line,
                       e.place.column, judge(e, trace).happened);
  }
  std::string added;
  std::size_t fresh = 0;
  for (const Expectation<D>& e : made.value()) {
    if (pinned.contains(pin_subject(e))) continue;
    ++fresh;
    added += "\n" + pin_text(e);
  }
  if (o.write) {
    if (fresh > 0 && !append(o.scene.path, added, o.scene.settings, err)) return kWrong;
    out << fmt::format("{}: {} pinned, {} were\n", o.scene.path, fresh, pinned.size());
  } else {
    out << added;
  }
  if (changed > 0)
    err << fmt::format("{} changed: take them out of the scene if that is meant, and pin again\n",
                       changed);
  return changed > 0 ? kSomeMissed : kAllMet;
}

// The run of a scene, or what the rules make of another engine's log.
template <int D>
int pin_one(const Scene<D>& scene, const PinFileOptions& o, std::ostream& out, std::ostream& err) {
  const auto run = start_run(scene);
  if (o.audit.empty()) {
    run_shown(*run, scene.length, err);
  } else {
    std::ifstream log(o.audit);
    if (!log) {
      err << fmt::format("{}: the file cannot be read; a contact log (JSON Lines)\n", o.audit);
      return kWrong;
    }
    if (const auto good = audit(*run, log, o.audit); !good) {
      err << good.error().message() << '\n';
      return kWrong;
    }
  }
  return pin_trace<D>(run->trace, scene.expectations, o, out, err);
}

}  // namespace

int pin(const PinFileOptions& o, std::ostream& out, std::ostream& err) {
  if (is_recording(o.scene.path)) {
    if (o.write || !o.audit.empty()) {
      err << fmt::format("colvik pin: {} with a recording; a scene, or what is printed\n",
                         o.write ? "--write" : "--audit");
      return kWrong;
    }
    const AnySeen seen = see(o.scene, err);
    if (!seen) return kWrong;
    return std::visit(
        [&]<int D>(const Seen<D>& what) { return pin_trace<D>(what.trace(), {}, o, out, err); },
        *seen);
  }
  const LoadedScene loaded = load(o.scene.path, o.scene.settings, err);
  if (!loaded.ok()) return kWrong;
  return std::visit([&](const auto& scene) { return pin_one(scene, o, out, err); }, *loaded.scene);
}

}  // namespace colvik::tool
