// Logs of contacts, written by us or by another engine, read back.
#include <colvik/insight.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <istream>

namespace colvik {
namespace {

using Json = nlohmann::json;

// One line of a log, with typed access that reports problems.
class LogLine {
 public:
  static Result<LogLine> read(const std::string& text, const std::string& place) {
    LogLine line(place);
    line.json_ = Json::parse(text, nullptr, false);
    if (line.json_.is_discarded()) return Error{place, "is not JSON", "one JSON object a line"};
    if (!line.json_.is_object())
      return Error{place, "is not an object", "{ \"time\": ..., \"phase\": ... }"};
    return line;
  }
  [[nodiscard]] bool has(const char* key) const { return json_.contains(key); }
  [[nodiscard]] Result<double> number(const char* key, double otherwise) const {
    if (!has(key)) return otherwise;
    if (!json_[key].is_number() || !std::isfinite(json_[key].get<double>()))
      return Error{place_, fmt::format("'{}' is no number", key), "a finite number"};
    return json_[key].get<double>();
  }
  [[nodiscard]] Result<std::string> text(const char* key) const {
    if (!has(key) || !json_[key].is_string())
      return Error{place_, fmt::format("lacks '{}'", key), fmt::format("\"{}\": text", key)};
    return json_[key].get<std::string>();
  }
  [[nodiscard]] Result<std::vector<std::string>> texts(const char* key) const {
    std::vector<std::string> list;
    if (!has(key)) return list;
    const Error wrong{place_, fmt::format("'{}' is no list of texts", key), "[\"...\"]"};
    if (!json_[key].is_array()) return wrong;
    for (const Json& item : json_[key]) {
      if (!item.is_string()) return wrong;
      list.push_back(item.get<std::string>());
    }
    return list;
  }
  // Which of the words a key has.
  [[nodiscard]] Result<std::size_t> word(const char* key, std::span<const std::string_view> words,
                                         std::size_t otherwise) const {
    if (!has(key)) return otherwise;
    const Result<std::string> value = text(key);
    if (!value) return value.error();
    const auto at = std::find(words.begin(), words.end(), value.value());
    if (at == words.end())
      return Error{place_, fmt::format("'{}' is '{}'", key, value.value()),
                   fmt::format("{}", fmt::join(words, ", "))};
    return static_cast<std::size_t>(at - words.begin());
  }
  [[nodiscard]] const std::string& place() const { return place_; }

 private:
  explicit LogLine(std::string place) : place_(std::move(place)) {}
  Json json_;
  std::string place_;
};

constexpr std::string_view kPhases[] = {"begin", "during", "end"};
constexpr std::string_view kChannels[] = {"solid", "zone"};
constexpr std::string_view kCauses[] = {"none",     "left",     "teleported", "removed", "hidden",
                                        "switched", "filtered", "re-tagged",  "run over"};

// Calls with each line that is not empty; stops at the first error.
template <class F>
Result<void> each_line(std::istream& log, const std::string& name, F&& act) {
  std::string text;
  for (std::size_t n = 1; std::getline(log, text); ++n) {
    if (text.find_first_not_of(" \t\r") == std::string::npos) continue;
    Result<LogLine> line = LogLine::read(text, fmt::format("{}:{}:1", name, n));
    if (!line) return line.error();
    if (Result<void> good = act(line.value()); !good) return good;
  }
  if (log.bad()) return Error{name, "cannot be read", "a file of JSON Lines"};
  return {};
}

template <int D>
Result<ObjectId> find_or_add(World<D>& world, const LogLine& line, const char* key,
                             const char* tags_key) {
  const Result<std::string> name = line.text(key);
  if (!name) return name.error();
  if (const auto known = world.find(name.value())) return *known;
  const Result<std::vector<std::string>> tags = line.texts(tags_key);
  if (!tags) return tags.error();
  ObjectDef<D> def;
  def.name = name.value();
  def.tags = tags.value();
  Result<ObjectId> added = world.add(def);
  if (!added)
    return Error{line.place(), added.error().message(),
                 "an object of the rules' scene, or a name with tags"};
  return added;
}

template <int D>
Result<ReportedTouch> read_touch(World<D>& world, const LogLine& line) {
  ReportedTouch t;
  const Result<double> time = line.number("time", 0);
  const Result<double> speed = line.number("approach_speed", 0);
  const Result<double> impulse = line.number("impulse", 0);
  for (const Result<double>* r : {&time, &speed, &impulse})
    if (!*r) return r->error();
  const Result<std::size_t> phase = line.word("phase", kPhases, 0);
  const Result<std::size_t> channel = line.word("channel", kChannels, 0);
  const Result<std::size_t> why = line.word("why", kCauses, 1);
  for (const Result<std::size_t>* r : {&phase, &channel, &why})
    if (!*r) return r->error();
  const Result<ObjectId> self = find_or_add(world, line, "self", "self_tags");
  if (!self) return self.error();
  const Result<ObjectId> other = find_or_add(world, line, "other", "other_tags");
  if (!other) return other.error();
  t.time = time.value();
  t.approach_speed = speed.value();
  t.impulse = impulse.value();
  t.phase = static_cast<Phase>(phase.value());
  t.channel = static_cast<Channel>(channel.value());
  t.why = t.phase == Phase::end ? static_cast<EndCause>(why.value()) : EndCause::none;
  t.self = self.value();
  t.other = other.value();
  return t;
}

}  // namespace

template <int D>
Result<void> audit(Run<D>& run, std::istream& log, const std::string& name) {
  std::vector<ReportedTouch> step;
  double last = 0;
  const double rate = run.world.settings().rate;
  const auto number_of = [&](double time) {
    return static_cast<std::uint64_t>(std::ceil(time * rate - 1e-6));
  };
  const auto run_step = [&] {
    run.world.step_reported(step);
    run.trace.record(run.world, run.rules);
    step.clear();
  };
  run.trace.start(run.world, run.rules);
  Result<void> good = each_line(log, name, [&](const LogLine& line) -> Result<void> {
    for (const char* key : {"reaction", "withheld", "born", "gone", "number"})
      if (line.has(key)) return {};  // of our own logs: they are not replayed
    Result<double> time = line.number("time", -1);
    if (!time) return time.error();
    if (time.value() < last || time.value() > 1e6)
      return Error{line.place(), fmt::format("time {} comes before {}", time.value(), last),
                   "\"time\": seconds that do not go back, up to 1e6"};
    last = time.value();
    // Earlier steps happen before this line's objects are found by name.
    while (run.world.steps() + 1 < number_of(last)) run_step();
    Result<ReportedTouch> touch = read_touch(run.world, line);
    if (!touch) return touch.error();
    if (touch.value().why != EndCause::run_over) step.push_back(touch.value());
    return {};
  });
  if (!good) return good;
  run_step();
  run.world.finish();
  run.trace.record(run.world, run.rules);
  return {};
}

Result<std::vector<Happening>> read_happenings(std::istream& log, const std::string& name) {
  std::vector<Happening> all;
  Result<void> good = each_line(log, name, [&](const LogLine& line) -> Result<void> {
    for (const char* key : {"withheld", "born", "gone", "number"})
      if (line.has(key)) return {};
    const bool reaction = line.has("reaction");
    Result<std::size_t> phase = line.word("phase", kPhases, 0);
    Result<std::size_t> channel = line.word("channel", kChannels, 0);
    if (!phase) return phase.error();
    if (!channel) return channel.error();
    if (!reaction && phase.value() != 0) return {};
    Result<double> time = line.number("time", 0);
    if (!time) return time.error();
    Happening h;
    h.time = time.value();
    if (reaction) {
      Result<std::string> what = line.text("reaction");
      if (!what) return what.error();
      h.what = what.value();
    } else {
      h.what = fmt::format("{} touch", kChannels[channel.value()]);
    }
    for (const auto& [key, to] : {std::pair("self", &h.self), std::pair("other", &h.other)}) {
      if (!line.has(key)) continue;
      Result<std::string> who = line.text(key);
      if (!who) return who.error();
      *to = who.value();
    }
    all.push_back(std::move(h));
    return {};
  });
  if (!good) return good.error();
  return all;
}

template Result<void> audit(Run<2>&, std::istream&, const std::string&);
template Result<void> audit(Run<3>&, std::istream&, const std::string&);

}  // namespace colvik
