// Whether a walker gets out: the questions are checked here, and the answers put in words.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <charconv>

#include "explain/leak_search.h"

namespace colvik {

namespace {

template <int D>
std::string written(const Vec<D>& v) {
  std::string text = fmt::format("({:.3f}", v[0] + 0.0);
  for (int i = 1; i < D; ++i) text += fmt::format(", {:.3f}", v[i] + 0.0);
  return text + ")";
}

template <int D>
Result<void> check_question(const World<D>& world, ObjectId walker, const LeakQuestion<D>& q) {
  if (!world.alive(walker) || !world.object(walker).walker)
    return Error{world.alive(walker) ? world.object(walker).name : "the walker", "is no walker",
                 "an object with a walker"};
  if (!q.inside && q.to.empty())
    return Error{"the question", "asks neither for a way out nor to something",
                 "a region to get out of, or something to get to"};
  if (!(q.resolution >= 0) || !std::isfinite(q.resolution))
    return Error{"resolution", fmt::format("is {:g}", q.resolution), "a number above 0"};
  if (q.most < 1) return Error{"most", "is 0", "at least 1"};
  if (!q.to.empty())
    if (const Result<Who> who = Who::parse(q.to, world.tags()); !who) return who.error();
  if (q.from && !q.from->allFinite()) return Error{"from", "is not finite", "a place in the world"};
  return {};
}

// Cells are counted in 20 bits to each side.
template <int D>
bool too_fine(const std::optional<Bounds<D>>& inside, double resolution) {
  return inside && inside->size().maxCoeff() / resolution > 1e6;
}

template <int D>
Result<Vec<D>> place_of(const Run<D>& run, const std::string& text) {
  std::vector<double> numbers;
  const char* at = text.data();
  const char* const end = at + text.size();
  while (at < end) {
    double value = 0;
    const auto [after, problem] = std::from_chars(at, end, value);
    if (problem != std::errc() || (after < end && *after != ',')) break;
    numbers.push_back(value);
    at = after + 1;
  }
  if (at >= end && static_cast<int>(numbers.size()) == D) {
    Vec<D> place;
    for (int i = 0; i < D; ++i) place[i] = numbers[static_cast<std::size_t>(i)];
    return place;
  }
  const std::size_t slash = text.find('/');
  const std::string name = text.substr(0, slash);
  const std::string spot = slash == std::string::npos ? "" : text.substr(slash + 1);
  std::vector<std::string> names;
  for (const ObjectId id : run.world.objects()) names.push_back(run.world.object(id).name);
  const auto object = run.world.find(name);
  if (!object)
    return Error{"from", fmt::format("'{}' is no object", name),
                 suggestion(name, names, "an object, OBJECT/SPOT, or a place such as 3,1.5")};
  const auto pose = run.world.spot(*object, spot);
  if (pose) return pose->position;
  names.clear();
  for (const Spot<D>& s : run.world.object(*object).spots) names.push_back(s.name);
  return Error{"from", fmt::format("'{}' has no spot '{}'", name, spot),
               suggestion(spot, names, "one of its spots")};
}

}  // namespace

std::string_view name_of(Going going) {
  static constexpr std::string_view kNames[] = {"start", "walk", "jump", "fall", "drop"};
  return kNames[static_cast<int>(going)];
}

template <int D>
Result<Leak<D>> leak(const World<D>& world, ObjectId walker, const LeakQuestion<D>& question) {
  if (auto good = check_question(world, walker, question); !good) return good.error();
  const Object<D>& own = world.object(walker);
  Leak<D> leak;
  leak.walker = own.name;
  leak.from = question.from.value_or(own.pose.position);
  double smallest = 0;
  for (const Collider<D>& c : own.colliders) {
    if (c.def.zone) continue;
    const double least = bounds(c.def.shape, Pose<D>{c.def.at, c.def.turned}).size().minCoeff();
    smallest = smallest > 0 ? std::min(smallest, least) : least;
  }
  if (smallest == 0)
    return Error{own.name, "has no solid collider", "a walker that something can stop"};
  leak.resolution = question.resolution > 0 ? question.resolution : smallest / 10;
  if (leak.resolution > smallest / 2)
    return Error{"resolution", fmt::format("is {:g}", leak.resolution),
                 fmt::format("at most half of the walker's smallest side, {:g}", smallest / 2)};
  if (too_fine(question.inside, leak.resolution))
    return Error{"resolution", fmt::format("is {:g}", leak.resolution),
                 fmt::format("at least a millionth of the region, {:g}",
                             question.inside->size().maxCoeff() / 1e6)};
  if (question.inside && !question.inside->contains(leak.from))
    return Error{own.name, fmt::format("begins at {}, outside", written(leak.from)),
                 "a start inside the region"};
  reasons::Ground<D> ground(world, walker, question, leak.resolution);
  if (const auto obstacle = ground.blocked(leak.from);
      obstacle && obstacle->at < -1e-3 * ground.smallest())
    return Error{own.name,
                 fmt::format("does not fit at {}: it is {:g} deep in {}", written(leak.from),
                             -obstacle->at, ground.world().object(obstacle->object).name),
                 "a start that is free"};
  for (const ObjectId id : ground.targets())
    leak.to.push_back(
        {ground.world().object(id).name, ground.world().object(id).pose.position, std::nullopt});
  if (!question.to.empty() && leak.to.empty())
    return Error{"to", fmt::format("nobody is '{}' now", question.to), "what somebody there has"};
  reasons::Search<D>(ground, question, leak.resolution).run(leak.from, leak);
  return leak;
}

template <int D>
Result<Leak<D>> leak(const Scene<D>& scene, const SceneLeak& question) {
  if (!(question.at >= 0) || question.at > scene.length)
    return Error{"the time", fmt::format("{:g} s is not within the run", question.at),
                 fmt::format("0 to {:g} s, the scene's length", scene.length)};
  const auto run = start_run(scene);
  const auto steps = std::llround(question.at * scene.world.rate);
  for (std::int64_t k = 0; k < steps && !run->rules.outcome(); ++k) run->step();
  std::vector<std::string> names;
  for (const ObjectId id : run->world.objects())
    if (run->world.object(id).walker) names.push_back(run->world.object(id).name);
  const auto walker = run->world.find(question.walker);
  if (!walker || !run->world.object(*walker).walker)
    return Error{
        "walker",
        fmt::format("'{}' is {}", question.walker, walker ? "no walker" : "not there at that time"),
        suggestion(question.walker, names,
                   names.empty() ? "the scene has no walker then"
                                 : fmt::format("one of {}", fmt::join(names, ", ")))};
  LeakQuestion<D> q;
  q.to = question.to;
  q.fly = question.fly;
  q.resolution = question.resolution;
  q.most = question.most;
  q.progress = question.progress;
  if (!question.inside.empty()) {
    const auto region = scene.regions.find(question.inside);
    names.clear();
    for (const auto& [name, bounds] : scene.regions) names.push_back(name);
    if (region == scene.regions.end())
      return Error{"inside", fmt::format("the scene has no region '{}'", question.inside),
                   suggestion(question.inside, names,
                              names.empty() ? "declare one: regions.NAME"
                                            : fmt::format("one of {}", fmt::join(names, ", ")))};
    q.inside = region->second;
  }
  if (!question.from.empty()) {
    const Result<Vec<D>> from = place_of(*run, question.from);
    if (!from) return from.error();
    q.from = from.value();
  }
  return leak(run->world, *walker, q);
}

template <int D>
std::string leak_report(const Leak<D>& leak) {
  const auto list = [](const Way<D>& way) {
    std::string text;
    for (const auto& p : way.points)
      text += fmt::format("  {:<5}  {}\n", name_of(p.by), written(p.at));
    return text;
  };
  std::string out;
  const bool escape = leak.to.empty() || leak.out;
  if (leak.out)
    out += fmt::format("{} gets out, {:.2f} from its start:\n{}", leak.walker, leak.out->length,
                       list(*leak.out));
  else if (escape && !leak.gave_up)
    out += fmt::format("Closed: {} does not get out.\n", leak.walker);
  for (const auto& target : leak.to) {
    if (target.way)
      out += fmt::format("{} gets to {}, {:.2f} from its start:\n{}", leak.walker, target.name,
                         target.way->length, list(*target.way));
    else if (!leak.gave_up)
      out += fmt::format("{} does not get to {}.\n", leak.walker, target.name);
  }
  if (leak.gave_up)
    out += fmt::format("Not decided: gave up after {} places. A coarser resolution needs fewer.\n",
                       leak.places);
  out +=
      fmt::format("Visited {} places, {:g} from one to the next.\n", leak.places, leak.resolution);
  const bool all = std::all_of(leak.to.begin(), leak.to.end(),
                               [](const auto& target) { return target.way.has_value(); });
  if (leak.narrowest && !leak.out && (leak.to.empty() || !all))
    out += fmt::format(
        "The widest gap that is too narrow: {:.4g} between {} and {}, before {}; {} "
        "needs {:.4g}.\n",
        leak.narrowest->width, leak.narrowest->first, leak.narrowest->second,
        written(leak.narrowest->at), leak.walker, leak.narrowest->needed);
  return out;
}

template Result<Leak<2>> leak(const World<2>&, ObjectId, const LeakQuestion<2>&);
template Result<Leak<2>> leak(const Scene<2>&, const SceneLeak&);
template std::string leak_report(const Leak<2>&);
template Result<Leak<3>> leak(const World<3>&, ObjectId, const LeakQuestion<3>&);
template Result<Leak<3>> leak(const Scene<3>&, const SceneLeak&);
template std::string leak_report(const Leak<3>&);

}  // namespace colvik
