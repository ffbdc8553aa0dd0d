// Expectations about objects and walkers.
#include "record/judging.h"

namespace colvik::record {

namespace {

// What an expectation about an object says, step by step.
template <int D>
struct ObjectFacts {
  const ExpectObject<D>& e;
  const Trace<D>& trace;
  std::uint32_t index;

  [[nodiscard]] std::optional<Pose<D>> pose(const std::string& name, std::uint64_t step) const {
    const std::uint32_t other = trace.find(name);
    return other == kNobody ? std::nullopt : trace.pose_at(other, step);
  }
  [[nodiscard]] std::optional<double> speed(std::uint64_t step) const {
    std::optional<Pose<D>> from = step > 0 ? trace.pose_at(index, step - 1) : std::nullopt;
    std::optional<Pose<D>> to = trace.pose_at(index, step);
    if (!from) from = std::exchange(to, trace.pose_at(index, step + 1));  // it is new
    if (!from || !to) return std::nullopt;
    return (to->position - from->position).norm() * trace.rate();
  }
  [[nodiscard]] std::optional<double> distance(std::uint64_t step) const {
    const std::optional<Pose<D>> own = trace.pose_at(index, step);
    const std::optional<Pose<D>> other = pose(e.distance_to, step);
    if (!own || !other) return std::nullopt;
    return (own->position - other->position).norm();
  }
  [[nodiscard]] bool is_inside(std::uint64_t step) const {
    const std::optional<Pose<D>> own = trace.pose_at(index, step);
    if (!own) return false;
    if (e.relative_to.empty()) return e.inside->contains(own->position);
    const std::optional<Pose<D>> frame = pose(e.relative_to, step);
    return frame && e.inside->contains(frame->to_local(own->position));
  }
  [[nodiscard]] bool fits(std::uint64_t step) const {
    const auto bounded = [](const std::optional<double>& least, const std::optional<double>& most,
                            const std::optional<double>& value) {
      constexpr double kSlack = 1e-9;
      return (!least && !most) || (value && *value >= least.value_or(*value) - kSlack &&
                                   *value <= most.value_or(*value) + kSlack);
    };
    if (e.present && trace.pose_at(index, step).has_value() != *e.present) return false;
    if (e.inside && !is_inside(step)) return false;
    return bounded(e.distance_at_least, e.distance_at_most,
                   e.distance_to.empty() ? std::nullopt : distance(step)) &&
           bounded(e.speed_at_least, e.speed_at_most,
                   e.speed_at_least || e.speed_at_most ? speed(step) : std::nullopt);
  }
  [[nodiscard]] std::string expected() const {
    std::vector<std::string> parts;
    if (e.present) parts.emplace_back(*e.present ? "is present" : "is gone");
    if (e.inside)
      parts.push_back("is inside " + e.region +
                      (e.relative_to.empty() ? "" : ", in the frame of @" + e.relative_to));
    const auto bounds = [&](const std::string& what, const std::optional<double>& least,
                            const std::optional<double>& most) {
      if (least) parts.push_back(fmt::format("{} at least {:g}", what, *least));
      if (most) parts.push_back(fmt::format("{} at most {:g}", what, *most));
    };
    bounds("is away from @" + e.distance_to + " by", e.distance_at_least, e.distance_at_most);
    bounds("has a speed of", e.speed_at_least, e.speed_at_most);
    return fmt::format("{} {}", e.always ? "always" : when(e.at), fmt::join(parts, " and "));
  }
  // How it was at a step, with what the expectation requires.
  [[nodiscard]] std::string described(std::uint64_t step) const {
    const std::optional<Pose<D>> own = trace.pose_at(index, step);
    std::string text = own ? "at" + position_text(*own) : "gone";
    if (!e.distance_to.empty())
      if (const auto d = distance(step))
        text += fmt::format(", {:.3f} from @{}", *d, e.distance_to);
    if (e.speed_at_least || e.speed_at_most)
      if (const auto v = speed(step)) text += fmt::format(", with a speed of {:.3f}", *v);
    return text;
  }
};

}  // namespace

template <int D>
ExpectationResult judge_object(const ExpectObject<D>& e, const Trace<D>& trace) {
  ExpectationResult r;
  const std::uint32_t index = trace.find(e.object);
  const ObjectFacts<D> facts{e, trace, index};
  r.expected = "@" + e.object + " " + facts.expected();
  if (index == kNobody) {
    r.met = e.present == false && !e.inside && e.distance_to.empty() && !e.speed_at_least &&
            !e.speed_at_most;
    r.happened = "it never was there";
    return r;
  }
  const TraceObject<D>& o = trace.objects()[index];
  r.met = true;
  if (e.always) {
    r.happened = "it was";
    for (std::uint64_t step = o.born; step <= trace.steps() && r.met; ++step) {
      if (!e.present && !trace.pose_at(index, step)) continue;  // only while it exists
      r.met = facts.fits(step);
      if (!r.met)
        r.happened = fmt::format("at {:.3f} s it was {}", static_cast<double>(step) / trace.rate(),
                                 facts.described(step));
    }
    return r;
  }
  const std::uint64_t step = step_at(trace, e.at);
  r.met = facts.fits(step);
  if (trace.pose_at(index, step))
    r.happened = fmt::format("it {} {}", e.at ? "was" : "is", facts.described(step));
  else if (o.gone != kNever)
    r.happened =
        fmt::format("it was removed at {:.3f} s", static_cast<double>(o.gone) / trace.rate());
  else r.happened = "it is hidden";
  return r;
}

template <int D>
ExpectationResult judge_walker(const Expectation<D>& whole, const ExpectWalker& e,
                               const Trace<D>& trace) {
  ExpectationResult r;
  const std::uint32_t index = trace.find(e.walker);
  if (index == kNobody) return never_there("@" + e.walker);
  const TraceObject<D>& o = trace.objects()[index];
  std::optional<Who> on;
  if (!e.on.empty()) on = Who::parse(e.on, trace.tags()).value();
  const bool stands = e.stands.value_or(true);
  r.expected = fmt::format("@{} {}", e.walker, e.always ? "always" : when(e.at));
  if (whole.to < std::numeric_limits<double>::infinity())
    r.expected += fmt::format(" between {:g} and {:g} s", whole.from, whole.to);
  const bool asks = e.stands || on;
  if (asks) r.expected += stands ? " stands" : " does not stand";
  if (on) r.expected += " on " + e.on;
  if (e.highest_at_least) r.expected += fmt::format(" came to {:g} or higher", *e.highest_at_least);
  if (e.highest_at_most) r.expected += fmt::format(" came no higher than {:g}", *e.highest_at_most);
  const auto so = [&](std::uint64_t step) {
    const auto w = trace.walking_at(index, step);
    const bool is =
        w && w->standing &&
        (!on || (w->on != kNobody && is_who(*on, trace, w->on, trace.tags_at(w->on, step))));
    return is == stands;
  };
  const auto describe = [&](std::uint64_t step) {
    const auto w = trace.walking_at(index, step);
    if (!w || !w->standing) return std::string("in the air");
    return "standing on " + name_in(trace, w->on);
  };
  r.met = true;
  if (asks) {
    std::uint64_t from = step_at(trace, e.at);
    std::uint64_t to = from;
    if (e.always) {
      from = std::max(o.born + 1,
                      static_cast<std::uint64_t>(std::ceil(whole.from * trace.rate() - 1e-9)));
      to = std::min({trace.steps(), o.gone,
                     whole.to < 1e12 ? step_at(trace, std::optional(whole.to)) : trace.steps()});
    }
    for (std::uint64_t step = from; step <= to && r.met; ++step) {
      r.met = so(step);
      r.happened = fmt::format("at {:.3f} s it was {}", static_cast<double>(step) / trace.rate(),
                               describe(step));
    }
  }
  if (e.highest_at_least || e.highest_at_most) {
    const auto w = trace.walking_at(index, trace.steps());
    const double highest = w ? w->highest : 0;
    const bool fits = (!e.highest_at_least || highest >= *e.highest_at_least - 1e-9) &&
                      (!e.highest_at_most || highest <= *e.highest_at_most + 1e-9);
    if (r.met) r.happened = fmt::format("it came to {:.4g}", highest);
    r.met = r.met && fits;
  }
  return r;
}

template <int D>
Result<void> check_object_parts(const ExpectObject<D>& o, const Trace<D>& trace) {
  const bool distance = o.distance_at_least || o.distance_at_most;
  if (!o.present && !o.inside && !distance && !o.speed_at_least && !o.speed_at_most)
    return Error{{}, "says nothing about the object", "present, inside, a distance or a speed"};
  if (distance == o.distance_to.empty())
    return Error{
        {}, "lacks a part of a distance", "distance_to with distance_at_least or _at_most"};
  if (!o.relative_to.empty() && !o.inside)
    return Error{{}, "relative_to without inside", "inside = a region in its frame"};
  for (const std::string* name : {&o.distance_to, &o.relative_to})
    if (!name->empty())
      if (Result<Who> who = parse_who("@" + *name, trace); !who) return who.error();
  return {};
}

template Result<void> check_object_parts(const ExpectObject<2>& o, const Trace<2>& trace);
template Result<void> check_object_parts(const ExpectObject<3>& o, const Trace<3>& trace);
template ExpectationResult judge_object(const ExpectObject<2>& e, const Trace<2>& trace);
template ExpectationResult judge_object(const ExpectObject<3>& e, const Trace<3>& trace);
template ExpectationResult judge_walker(const Expectation<2>& whole, const ExpectWalker& e,
                                        const Trace<2>& trace);
template ExpectationResult judge_walker(const Expectation<3>& whole, const ExpectWalker& e,
                                        const Trace<3>& trace);

}  // namespace colvik::record
