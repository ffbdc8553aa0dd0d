#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <fstream>
#include <ostream>

#include <colvik/insight.hpp>

#include "commands.h"

namespace colvik::tool {

void add_audit(CLI::App& app, AuditOptions& o) {
  CLI::App* c = app.add_subcommand("audit",
                                   "Put a contact log of another engine through a scene's "
                                   "reactions and expectations; nothing is simulated");
  c->add_option("log", o.log, "contact log (JSON Lines, see docs/events.md)")->required();
  c->add_option("--rules", o.rules, "scene file with tags, objects, reactions and expectations")
      ->required();
  add_settings(*c, o.settings);
  c->add_flag("--coverage", o.coverage, "everything that the log did not try, not only the count");
  c->footer(
      "Exit status: 0 all expectations met, 1 some missed, 2 the log, the scene or the call is "
      "wrong.\n\n"
      "Example:\n  build/bin/colvik audit data/audit/contacts.jsonl --rules data/audit/rules.toml");
}

int audit_log(const AuditOptions& o, std::ostream& out, std::ostream& err) {
  const LoadedScene loaded = load(o.rules, o.settings, err);
  if (!loaded.ok()) return kWrong;
  std::ifstream log(o.log);
  if (!log) {
    err << fmt::format("{}: the file cannot be read; a contact log (JSON Lines)\n", o.log);
    return kWrong;
  }
  return std::visit(
      [&]<int D>(const Scene<D>& scene) {
        const auto run = start_run(scene);
        if (const auto good = audit(*run, log, o.log); !good) {
          err << good.error().message() << '\n';
          return kWrong;
        }
        out << fmt::format("{}: {:.3f} s of log, judged by {}\n\n", o.log, run->world.time(),
                           scene.file);
        out << run_report<D>(run->trace, scene.expectations, {false, 8, o.coverage});
        for (const Expectation<D>& e : scene.expectations)
          if (!judge(e, run->trace).met) return kSomeMissed;
        return kAllMet;
      },
      *loaded.scene);
}

}  // namespace colvik::tool
