#pragma once
// The commands of the tool. Each file has the options of one command, adds them to the command line
// and runs it; results go to `out`, problems to `err`.
#include <colvik/leak.hpp>

#include <iosfwd>
#include <optional>
#include <string>
#include <vector>

#include "seen.h"

namespace CLI {
class App;
}

namespace colvik::tool {

// Exit codes, the same for every command and documented in --help.
inline constexpr int kAllMet = 0;
inline constexpr int kSomeMissed = 1;
inline constexpr int kWrong = 2;

struct RunOptions {
  std::vector<std::string> scenes;
  std::vector<std::string> settings;
  std::string events;
  std::string record;
  bool during = false;
  bool all = false;
  std::string colour = "auto";
  std::size_t firings = 8;
  bool coverage = false;
  bool cost = false;
  double require_coverage = 0;  // percent
  std::string json;
  std::string junit;
};
void add_run(CLI::App& app, RunOptions& options);
int run(const RunOptions& options, bool terminal, std::ostream& out, std::ostream& err);

struct DrawOptions {
  SceneOptions scene;
  std::string out;
  double at = -1;
  int strobe = 0;
  std::string when;
  int every = 1;
  std::string follow;
  std::string crop;
  std::string eye;
  bool four = false;
  double from = 0;
  double to = -1;
  double rate = 12;
  double speed = 1;
  std::string size = "1280x800";
};
void add_draw(CLI::App& app, DrawOptions& options);
int draw(const DrawOptions& options, std::ostream& out, std::ostream& err);

struct QueryOptions {
  std::string scene;
  std::vector<std::string> settings;
  double at = 0;
  std::string who = "any";
  bool zones = false;
  bool only_zones = false;
  bool first = false;
  bool json = false;
};
// The question's words follow the options; they are what the returned command leaves over.
CLI::App* add_query(CLI::App& app, QueryOptions& options);
int query(const QueryOptions& options, const std::vector<std::string>& words, std::ostream& out,
          std::ostream& err);

struct WhoOptions {
  std::string scene;
  std::vector<std::string> settings;
  bool objects = false;
  bool json = false;
};
void add_who(CLI::App& app, WhoOptions& options);
int who(const WhoOptions& options, std::ostream& out, std::ostream& err);

struct KindOptions {
  std::string scene;
  std::string kind;
};
void add_kind(CLI::App& app, KindOptions& options);
int kind(const KindOptions& options, std::ostream& out, std::ostream& err);

// Two settings of a scene, or two event logs.
struct CompareOptions {
  std::vector<std::string> files;
  std::vector<std::string> settings;
  std::vector<std::string> with;
  double slack = 1e-6;
};
void add_compare(CLI::App& app, CompareOptions& options);
int compare_runs(const CompareOptions& options, std::ostream& out, std::ostream& err);

struct AuditOptions {
  std::string log;
  std::string rules;
  std::vector<std::string> settings;
  bool coverage = false;
};
void add_audit(CLI::App& app, AuditOptions& options);
int audit_log(const AuditOptions& options, std::ostream& out, std::ostream& err);

struct StoryOptions {
  SceneOptions scene;
  std::string object;
};
void add_story(CLI::App& app, StoryOptions& options);
int story(const StoryOptions& options, std::ostream& out, std::ostream& err);

// For man and for bash, from what --help says.
void print_manual(const CLI::App& app, std::ostream& out);
void print_completion(const CLI::App& app, std::ostream& out);

// Adds --set NAME=VALUE and --files FOLDER, which every command has.
void add_settings(CLI::App& command, std::vector<std::string>& settings);
void add_files(CLI::App& command);

// Of --set; what sets nothing is a problem.
std::vector<Setting> settings_of(const std::vector<std::string>& texts,
                                 std::vector<Problem>& problems);

// Numbers with commas between them; nothing if that is not what it is.
std::optional<std::vector<double>> numbers_in(const std::string& text);

// Replaces a scene by a text, whole, if that can be loaded; otherwise changes nothing and says why.
Result<void> replace_scene(const std::string& path, const std::string& text,
                           const std::vector<std::string>& settings);

// Folder that files which scenes name must be in; a scene's own if empty. For all commands.
std::string& files_folder();
LoadedScene load_quietly(const std::string& path, std::span<const Setting> settings);

// Loads a scene; reports what was mended in its shapes, and at most 20 of its problems.
LoadedScene load(const std::string& path, const std::vector<std::string>& settings,
                 std::ostream& err);

struct WhyOptions {
  std::string scene;
  std::string first;
  std::string second;
  std::string reaction;
  std::vector<std::string> settings;
  std::optional<double> at{};
  std::vector<double> between;
  bool json = false;
};
void add_why(CLI::App& app, WhyOptions& options);
int why(const WhyOptions& options, std::ostream& out, std::ostream& err);

struct TimelineFileOptions {
  SceneOptions scene;
  std::string out;
  std::vector<std::string> lanes;
  int width = 1280;
};
void add_timeline(CLI::App& app, TimelineFileOptions& options);
int timeline(const TimelineFileOptions& options, std::ostream& out, std::ostream& err);

struct PinFileOptions {
  SceneOptions scene;
  std::string only;
  double slack = 0.1;
  std::string audit;
  bool write = false;
};
void add_pin(CLI::App& app, PinFileOptions& options);
int pin(const PinFileOptions& options, std::ostream& out, std::ostream& err);

struct ReplayFileOptions {
  SceneOptions scene;
  std::string out;
  std::string against;
  std::vector<std::string> with;
};
void add_replay(CLI::App& app, ReplayFileOptions& options);
int replay(const ReplayFileOptions& options, std::ostream& out, std::ostream& err);

struct WatchOptions {
  std::string scene;
  std::vector<std::string> settings;
  int port = 8417;
};
void add_watch(CLI::App& app, WatchOptions& options);
int watch(const WatchOptions& options, std::ostream& out, std::ostream& err);

struct LeakOptions {
  std::string scene;
  std::vector<std::string> settings;
  SceneLeak question;
  std::string out;
  bool json = false;
};
void add_leak(CLI::App& app, LeakOptions& options);
int leak(const LeakOptions& options, std::ostream& out, std::ostream& err);

struct FitFileOptions {
  std::vector<std::string> art;
  std::string as;
  bool best = false;
  double tolerance = 0;
  int corners = 0;
  int parts = 0;
  std::string shrink;
  double margin = 0;
  double scale = 0;
  std::string size;
  std::string ground;
  int opacity = 128;
  std::string part;
  std::string frames;
  std::string cell;
  double height = 1;
  double time = 0;
  std::string name;
  bool linked = false;
  std::vector<std::string> write;  // scene and kind
  std::string out;
  bool json = false;
};
void add_fit(CLI::App& app, FitFileOptions& options);
int fit_art(const FitFileOptions& options, std::ostream& out, std::ostream& err);

struct CheckOptions {
  std::vector<std::string> scenes;
  std::vector<std::string> settings;
  bool run = false;
  std::string format = "text";
};
void add_check(CLI::App& app, CheckOptions& options);
int check(const CheckOptions& options, std::ostream& out, std::ostream& err);

}  // namespace colvik::tool
