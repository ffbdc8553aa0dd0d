// The colvik tool: reads the command line and hands over to one command.
#include <CLI/CLI.hpp>
#include <algorithm>

#include <unistd.h>

#include <iostream>
#include <string_view>

#include "commands.h"

int main(int argc, char** argv) {
  using namespace colvik::tool;
  CLI::App app{
      "Runs contact scenes and says what fired, when, with whom, and whether that was expected."};
  app.name("colvik");
  app.set_version_flag("--version", "colvik " COLVIK_VERSION);
  app.require_subcommand(1);
  app.footer(
      "Examples:\n  build/bin/colvik run data/night-depot.toml\n  build/bin/colvik draw "
      "data/loading-bay.toml --out "
      "bay.png --strobe 6\n  build/bin/colvik query data/night-depot.toml --at 2 near 4 1 3\n\n"
      "Exit status: 0 good, 1 an expectation was missed, 2 the scene or the call is wrong.");
  RunOptions run_options;
  DrawOptions draw_options;
  add_run(app, run_options);
  add_draw(app, draw_options);
  QueryOptions query_options;
  WhoOptions who_options;
  KindOptions kind_options;
  CompareOptions compare_options;
  AuditOptions audit_options;
  add_who(app, who_options);
  add_kind(app, kind_options);
  add_compare(app, compare_options);
  add_audit(app, audit_options);
  StoryOptions story_options;
  add_story(app, story_options);
  CheckOptions check_options;
  add_check(app, check_options);
  WhyOptions why_options;
  add_why(app, why_options);
  TimelineFileOptions timeline_options;
  add_timeline(app, timeline_options);
  PinFileOptions pin_options;
  add_pin(app, pin_options);
  ReplayFileOptions replay_options;
  add_replay(app, replay_options);
  WatchOptions watch_options;
  add_watch(app, watch_options);
  LeakOptions leak_options;
  add_leak(app, leak_options);
  FitFileOptions fit_options;
  add_fit(app, fit_options);
  const CLI::App* query_command = add_query(app, query_options);
  // For the installation, so not in --help.
  if (argc == 2 && std::string_view(argv[1]) == "--print-manual") {
    print_manual(app, std::cout);
    return kAllMet;
  }
  if (argc == 2 && std::string_view(argv[1]) == "--print-completion") {
    print_completion(app, std::cout);
    return kAllMet;
  }
  try {
    app.parse(argc, argv);
  } catch (const CLI::Success& requested) {  // --help, --version
    return app.exit(requested);
  } catch (const CLI::ParseError& error) {
    std::vector<std::string> names;
    for (const CLI::App* c : app.get_subcommands({})) names.push_back(c->get_name());
    if (argc > 1 && *argv[1] != '-' &&
        std::find(names.begin(), names.end(), argv[1]) == names.end()) {
      std::cerr << "colvik: '" << argv[1] << "' is no command; "
                << colvik::suggestion(argv[1], names, "one of those that colvik --help lists")
                << '\n';
      return kWrong;
    }
    std::cerr << "colvik: " << error.what() << "\nTry: colvik --help, or colvik COMMAND --help\n";
    return kWrong;
  }
  const auto command = [&] {
    if (app.got_subcommand("run"))
      return run(run_options, isatty(STDOUT_FILENO) != 0, std::cout, std::cerr);
    if (app.got_subcommand("query"))
      return query(query_options, query_command->remaining(), std::cout, std::cerr);
    if (app.got_subcommand("who")) return who(who_options, std::cout, std::cerr);
    if (app.got_subcommand("kind")) return kind(kind_options, std::cout, std::cerr);
    if (app.got_subcommand("compare")) return compare_runs(compare_options, std::cout, std::cerr);
    if (app.got_subcommand("check")) return check(check_options, std::cout, std::cerr);
    if (app.got_subcommand("why")) return why(why_options, std::cout, std::cerr);
    if (app.got_subcommand("timeline")) return timeline(timeline_options, std::cout, std::cerr);
    if (app.got_subcommand("pin")) return pin(pin_options, std::cout, std::cerr);
    if (app.got_subcommand("replay")) return replay(replay_options, std::cout, std::cerr);
    if (app.got_subcommand("leak")) return leak(leak_options, std::cout, std::cerr);
    if (app.got_subcommand("watch")) return watch(watch_options, std::cout, std::cerr);
    if (app.got_subcommand("fit")) return fit_art(fit_options, std::cout, std::cerr);
    if (app.got_subcommand("story")) return story(story_options, std::cout, std::cerr);
    if (app.got_subcommand("audit")) return audit_log(audit_options, std::cout, std::cerr);
    return draw(draw_options, std::cout, std::cerr);
  };
  try {
    const int status = command();
    if (std::cout.flush()) return status;
    std::cerr << "colvik: standard output cannot be written; is it closed, or the disk full?\n";
    return kWrong;
  } catch (const std::exception& error) {  // out of memory and the like
    std::cerr << "colvik: " << error.what() << '\n';
    return kWrong;
  }
}
