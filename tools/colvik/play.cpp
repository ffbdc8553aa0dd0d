#include "play.h"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <regex>
#include <sstream>

#include <colvik/insight.hpp>

namespace colvik::tool {

template <int D>
Played<D>::Played(Scene<D> scene) : scene_(std::move(scene)) {
  std::set<std::string> walkers;
  std::set<std::string> inputs;
  for (const auto& c : scene_.controls) {
    if (!c.walker.empty()) walkers.insert(c.walker);
    if (!c.input.empty()) inputs.insert(c.input);
  }
  for (ObjectDef<D>& o : scene_.objects)
    if (walkers.contains(o.name)) o.wishes.clear();
  std::erase_if(scene_.inputs, [&](const auto& i) { return inputs.contains(i.name); });
  run_ = start_run(scene_);
  last_ = static_cast<std::uint64_t>(std::llround(scene_.length * scene_.world.rate));
  for (const std::string& name : walkers)
    if (const auto id = run_->world.find(name)) walkers_.push_back({name, *id});
}

template <int D>
void Played<D>::step(int steps, const std::set<std::string>& held) {
  const double rate = scene_.world.rate;
  for (int i = 0; i < steps && !over_; ++i) {
    // In the middle of steps, so that rounding cannot move them to others.
    const auto now = static_cast<double>(run_->world.steps());
    for (Walker& w : walkers_) {
      Wish<D> wish;
      for (const auto& c : scene_.controls) {
        if (c.walker != w.name || !held.contains(c.key)) continue;
        wish.velocity += c.wish.velocity;
        wish.jump = wish.jump || c.wish.jump;
        wish.drop = wish.drop || c.wish.drop;
        wish.fly = wish.fly || c.wish.fly;
      }
      if (wish.velocity == w.wish.velocity && wish.jump == w.wish.jump &&
          wish.drop == w.wish.drop && wish.fly == w.wish.fly)
        continue;
      w.wish = wish;
      w.wishes.push_back({std::max(0.0, (now - 0.5) / rate), wish});
      run_->world.wish(w.id, wish);
    }
    for (const auto& c : scene_.controls)
      if (!c.input.empty() && held.contains(c.key) && !held_.contains(c.key)) {
        inputs_.push_back({(now + 0.5) / rate, c.input});
        run_->rules.input(c.input);
      }
    held_ = held;
    run_->step();
    over_ = run_->trace.steps() >= last_ || run_->rules.outcome().has_value();
  }
  seconds_ = run_->trace.time();
}

template <int D>
void Played<D>::stop() {
  const double played = seconds_;
  while (!over_) step(1, {});
  seconds_ = std::min(played, run_->trace.time());
  run_->run_for(0);  // ends all touches
}

template <int D>
std::string Played<D>::wishes_text(const Walker& walker) {
  std::string text = fmt::format("# What {} was played to do.\nwishes = [\n", walker.name);
  for (const TimedWish<D>& w : walker.wishes) {
    std::string velocity;
    for (int k = 0; k < D; ++k)
      velocity += fmt::format("{}{}", k > 0 ? ", " : "", w.wish.velocity[k]);
    text += fmt::format("  {{ at = {:.6f}, velocity = [{}], jump = {}, drop = {}, fly = {} }},\n",
                        w.at, velocity, w.wish.jump, w.wish.drop, w.wish.fly);
  }
  return text + "]\n";
}

template class Played<2>;
template class Played<3>;

// ---- keeping ---------------------------------------------------------------------------------

namespace {

std::string read_all(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  std::stringstream text;
  text << file.rdbuf();
  return text.str();
}

// Whether the same happened, and all ended in the same places. (The hash of the state knows of
// wishes that are still to come, too.)
template <int D>
bool same_run(const Trace<D>& a, const Trace<D>& b) {
  std::ostringstream one;
  std::ostringstream two;
  write_events(one, a, true);
  write_events(two, b, true);
  if (one.str() != two.str() || a.objects().size() != b.objects().size()) return false;
  for (std::uint32_t i = 0; i < a.objects().size(); ++i) {
    const auto x = a.pose_at(i, a.steps());
    const auto y = b.pose_at(i, b.steps());
    if (x.has_value() != y.has_value() || (x && x->position != y->position)) return false;
  }
  return true;
}

// Where a value that begins at `from` ends: a text, or a list with all that is in it.
std::size_t end_of_value(const std::string& text, std::size_t from) {
  int depth = 0;
  for (std::size_t i = from; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '#') i = std::min(text.find('\n', i), text.size());
    else if (c == '"' || c == '\'') {
      i = text.find(c, i + 1);
      if (i == std::string::npos) return i;
      if (depth == 0) return i + 1;
    } else if (c == '[' || c == '{') {
      ++depth;
    } else if (c == ']' || c == '}') {
      if (--depth == 0) return i + 1;
    }
  }
  return std::string::npos;
}

// Lets an object's `wishes` name a file; false where the text does not let itself be changed.
bool name_wishes(std::string& text, const KeyPlaces& places, const std::string& scene,
                 const std::string& file) {
  const auto offset = [&](const Place& p) {
    std::size_t at = 0;
    for (std::uint32_t line = 1; line < p.line && at != std::string::npos; ++line)
      at = text.find('\n', at) + 1;
    return at;
  };
  const std::string value = fmt::format("\"{}\"", file);
  if (const auto wishes = places->find("wishes"); wishes != places->end()) {
    if (wishes->second.file != scene) return false;
    std::smatch found;
    const std::size_t line = offset(wishes->second);
    const std::string rest = text.substr(line);
    if (!std::regex_search(rest, found, std::regex("wishes\\s*=\\s*"))) return false;
    const std::size_t from = line + static_cast<std::size_t>(found.position(0) + found.length(0));
    const std::size_t end = end_of_value(text, from);
    if (end == std::string::npos) return false;
    text.replace(from, end - from, value);
    return true;
  }
  const auto name = places->find("name");
  if (name == places->end() || name->second.file != scene) return false;
  const std::size_t line = offset(name->second);
  if (!std::regex_search(text.substr(line, text.find('\n', line) - line),
                         std::regex("^\\s*name\\s*=")))
    return false;  // a table within a line
  text.insert(std::min(text.find('\n', line), text.size() - 1) + 1, "wishes = " + value + "\n");
  return true;
}

// A name beside the scene that is free, or its own already.
std::string wishes_file(const std::string& path, const std::string& walker) {
  const std::filesystem::path scene(path);
  const std::string stem = scene.stem().string() + "." + walker + ".wishes";
  const auto taken = [&](const std::string& name) {
    const std::string text = read_all((scene.parent_path() / name).string());
    return !text.empty() && !text.starts_with("# What " + walker + " was played to do.");
  };
  std::string name = stem + ".toml";
  for (int i = 2; taken(name); ++i) name = fmt::format("{}-{}.toml", stem, i);
  return name;
}

}  // namespace

template <int D>
Result<std::vector<std::string>> keep_played(const std::string& path, const Scene<D>& scene,
                                             const Played<D>& played, bool wishes,
                                             bool expectations, std::span<const Setting> settings,
                                             const std::string& allowed) {
  const std::filesystem::path folder = std::filesystem::path(path).parent_path();
  std::string text = read_all(path);
  if (!text.empty() && text.back() != '\n') text += '\n';
  std::vector<std::string> said;
  std::vector<std::pair<std::string, std::string>> files;  // path and what was in it
  const auto undo = [&] {
    std::error_code ignored;
    for (const auto& [file, before] : files)
      if (before.empty()) std::filesystem::remove(file, ignored);
      else std::ofstream(file, std::ios::binary) << before;
  };
  const auto refuse = [&](const std::string& what, const std::string& accepted) {
    undo();
    return Error{path, what, accepted};
  };
  if (wishes) {
    for (const auto& input : scene.inputs)
      for (const auto& c : scene.controls)
        if (c.input == input.name)
          return refuse(fmt::format("gives the input '{}' itself", input.name),
                        "a scene without [[inputs]] of that name, as keys give it");
    for (const auto& walker : played.walkers()) {
      const std::string file = wishes_file(path, walker.name);
      const std::string full = (folder / file).string();
      for (std::size_t i = 0; i < scene.objects.size(); ++i)
        if (scene.objects[i].name == walker.name &&
            !name_wishes(text, scene.object_keys[i], scene.file, file))
          return refuse(
              fmt::format("the object '{}' cannot be changed where it stands", walker.name),
              fmt::format("wishes = \"{}\" written there by hand, or the object as "
                          "[[objects]] with a line for each key",
                          file));
      files.emplace_back(full, read_all(full));
      std::ofstream out(full, std::ios::binary);
      out << Played<D>::wishes_text(walker);
      if (!out.flush()) return refuse(full + " cannot be written", "a folder that may be written");
      said.push_back(fmt::format("{}: {} wishes", full, walker.wishes.size()));
    }
    for (const auto& input : played.inputs())
      text += fmt::format("\n[[inputs]]\nat = {:.6f}\nname = \"{}\"\n", input.at, input.name);
    if (!played.inputs().empty())
      said.push_back(fmt::format("{}: {} inputs", path, played.inputs().size()));
  }
  if (expectations) {
    std::set<std::string> pinned;
    for (const Expectation<D>& e : scene.expectations)
      if (e.pinned) pinned.insert(pin_subject(e));
    const auto made = pins(played.trace());
    if (!made) return refuse(made.error().what, made.error().accepted);
    std::size_t count = 0;
    for (const Expectation<D>& e : made.value())
      if (!pinned.contains(pin_subject(e))) {
        text += "\n" + pin_text(e);
        ++count;
      }
    said.push_back(fmt::format("{}: {} expectations", path, count));
  }
  const std::string beside = path + ".played";
  {
    std::ofstream out(beside, std::ios::binary);
    out << text;
    if (!out.flush()) return refuse(beside + " cannot be written", "a folder that may be written");
  }
  const LoadedScene loaded = load_scene(beside, settings, allowed);
  std::error_code failed;
  const auto* again = loaded.ok() ? std::get_if<Scene<D>>(&*loaded.scene) : nullptr;
  bool same = again != nullptr;
  if (same && wishes) {
    const auto run = start_run(*again);
    run->run_for(again->length);
    same = same_run(run->trace, played.trace());
  }
  if (same) std::filesystem::rename(beside, path, failed);
  if (!same || failed) {
    std::error_code ignored;
    std::filesystem::remove(beside, ignored);
    return refuse(loaded.ok() ? "would not run as it was played"
                              : "would not be a scene: " + loaded.problems.front().message(),
                  "the scene as it was when it was played");
  }
  return said;
}

template Result<std::vector<std::string>> keep_played(const std::string&, const Scene<2>&,
                                                      const Played<2>&, bool, bool,
                                                      std::span<const Setting>, const std::string&);
template Result<std::vector<std::string>> keep_played(const std::string&, const Scene<3>&,
                                                      const Played<3>&, bool, bool,
                                                      std::span<const Setting>, const std::string&);

}  // namespace colvik::tool
