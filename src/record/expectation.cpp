#include <colvik/expectation.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "math/fault.h"
#include "record/judging.h"

namespace colvik {

using namespace record;

namespace {

// A firing or touch that an expectation counts.
struct Instance {
  double time = 0;
  std::uint32_t self = kNobody;
  std::uint32_t other = kNobody;
};

template <int D>
std::vector<Instance> instances(const ExpectReaction& e, const Trace<D>& trace, bool any_who) {
  const Who self = Who::parse(e.self, trace.tags()).value();
  const Who other = Who::parse(e.other, trace.tags()).value();
  std::vector<Instance> found;
  for (const TraceFiring<D>& f : trace.firings())
    if (trace.reactions()[f.reaction].name == e.reaction &&
        (any_who ||
         (is_who(self, trace, f.self, f.self_tags) && is_who(other, trace, f.other, f.other_tags))))
      found.push_back({f.time, f.self, f.other});
  return found;
}

template <int D>
std::vector<Instance> instances(const ExpectContact& e, const Trace<D>& trace, bool /*any_who*/) {
  const Who first = Who::parse(e.first, trace.tags()).value();
  const Who second = Who::parse(e.second, trace.tags()).value();
  std::vector<Instance> found;
  for (const TraceTouch& t : trace.touches()) {
    if (t.phase != Phase::begin || (e.channel && *e.channel != t.channel)) continue;
    const auto sides = [&](const Who& a, const Who& b) {
      return is_who(a, trace, t.self, t.self_tags) && is_who(b, trace, t.other, t.other_tags);
    };
    if (sides(first, second) || sides(second, first)) found.push_back({t.time, t.self, t.other});
  }
  return found;
}

std::string describe(const ExpectReaction& e) {
  std::string text = "reaction " + e.reaction;
  if (e.self != "any") text += " of " + e.self;
  if (e.other != "any") text += " with " + e.other;
  return text;
}
std::string describe(const ExpectContact& e) {
  return fmt::format("{} of {} and {}",
                     e.channel ? fmt::format("{} contact", name_of(*e.channel)) : "contact",
                     e.first, e.second);
}

template <int D>
std::string describe_count(const Expectation<D>& e) {
  std::string text;
  const auto times = [](std::uint64_t n) {
    return n == 1 ? "once" : n == 2 ? "twice" : fmt::format("{} times", n);
  };
  if (e.never || (e.times && *e.times == 0)) text = "never";
  else if (e.times) text = fmt::format("exactly {}", times(*e.times));
  else if (e.at_least && e.at_most) text = fmt::format("{} to {} times", *e.at_least, *e.at_most);
  else if (e.at_most) text = fmt::format("at most {}", times(*e.at_most));
  else text = fmt::format("at least {}", times(e.at_least.value_or(1)));
  const bool until = e.to < std::numeric_limits<double>::infinity();
  if (until) text += fmt::format(" between {:g} and {:g} s", e.from, e.to);
  else if (e.from > 0) text += fmt::format(" from {:g} s on", e.from);
  return text;
}

// "once: at 1.217 s (courier, parcel-1)"; at most five are listed.
template <int D>
std::string list(const std::vector<Instance>& found, const Trace<D>& trace) {
  if (found.empty()) return "it never happened";
  std::string text = found.size() == 1 ? "it happened once: "
                                       : fmt::format("it happened {} times: ", found.size());
  for (std::size_t i = 0; i < found.size() && i < 5; ++i) {
    text += fmt::format("{}at {:.3f} s", i > 0 ? ", " : "", found[i].time);
    if (found[i].self != kNobody) {
      text += " (" + name_in(trace, found[i].self);
      if (found[i].other != kNobody) text += ", " + name_in(trace, found[i].other);
      text += ")";
    }
  }
  return found.size() > 5 ? text + ", ..." : text;
}

// What else is said of a reaction: no two of a kind twice, before another, after another.
template <int D>
void judge_order(const ExpectReaction& e, const std::vector<Instance>& found, const Trace<D>& trace,
                 ExpectationResult& r) {
  const auto fails = [&](std::string happened) {
    if (r.met) r.happened = std::move(happened);
    r.met = false;
  };
  const auto times_of = [&](const std::string& name) {
    std::vector<double> times;
    for (const TraceFiring<D>& f : trace.firings())
      if (trace.reactions()[f.reaction].name == name) times.push_back(f.time);
    return times;
  };
  if (e.once_per_other) {
    r.expected += ", once for each other";
    for (std::size_t i = 0; i < found.size(); ++i)
      for (std::size_t k = 0; k < i; ++k)
        if (found[i].self == found[k].self && found[i].other == found[k].other)
          fails(fmt::format("it happened again at {:.3f} s ({}, {})", found[i].time,
                            name_in(trace, found[i].self), name_in(trace, found[i].other)));
  }
  if (!e.before.empty()) {
    r.expected += ", before " + e.before;
    const std::vector<double> later = times_of(e.before);
    if (later.empty()) fails(fmt::format("{} never happened", e.before));
    else if (!found.empty() && later[0] <= found[0].time)
      fails(fmt::format("{} happened at {:.3f} s, and this at {:.3f} s", e.before, later[0],
                        found[0].time));
  }
  if (e.after.empty()) return;
  r.expected += fmt::format(", after each {}", e.after);
  if (e.within < std::numeric_limits<double>::infinity())
    r.expected += fmt::format(" within {:g} s", e.within);
  for (const double t : times_of(e.after))
    if (std::none_of(found.begin(), found.end(), [&](const Instance& i) {
          return i.time >= t && i.time <= t + e.within + 1e-9;
        }))
      fails(fmt::format("after {} at {:.3f} s it did not", e.after, t));
}

template <int D, class What>
ExpectationResult judge_count(const Expectation<D>& e, const What& what, const Trace<D>& trace) {
  ExpectationResult r;
  r.expected = describe(what) + " " + describe_count(e);
  const std::vector<Instance> all = instances(what, trace, false);
  std::vector<Instance> counted;
  for (const Instance& i : all)
    if (i.time >= e.from && i.time <= e.to) counted.push_back(i);
  const std::uint64_t n = counted.size();
  if (e.never) r.met = n == 0 || COLVIK_FAULT(22);
  else if (e.times) r.met = n == *e.times;
  else r.met = n >= e.at_least.value_or(e.at_most ? 0 : 1) && (!e.at_most || n <= *e.at_most);
  r.happened = list(counted, trace);
  if constexpr (std::is_same_v<What, ExpectReaction>) judge_order(what, counted, trace, r);
  if (counted.empty() && !all.empty()) r.happened = list(all, trace) + ", outside these times";
  if (all.empty() && !r.met) {
    const std::vector<Instance> others = instances(what, trace, true);
    if (!others.empty()) r.happened += " for these; for others " + list(others, trace);
  }
  return r;
}

// Whose number is meant, and what it is called; kNobody: the world's.
template <int D>
std::optional<std::pair<std::uint32_t, std::string>> number_meant(const std::string& text,
                                                                  const Trace<D>& trace,
                                                                  Error& error) {
  const std::size_t dot = text.rfind('.');
  const std::string owner = text.substr(0, dot);
  const std::string name = dot == std::string::npos ? "" : text.substr(dot + 1);
  std::uint32_t object = kNobody;
  std::span<const Number> numbers = trace.numbers();
  if (owner.starts_with('@')) {
    Result<Who> who = parse_who(owner, trace);
    if (!who) {
      error = who.error();
      return std::nullopt;
    }
    object = trace.find(who.value().object());
    if (object == kNobody) return std::pair(object, name);  // a copy that is not there yet
    numbers = trace.objects()[object].numbers;
  } else if (owner != "world") {
    error = {{},
             fmt::format("number '{}' does not say whose it is", text),
             "world.NAME or @OBJECT.NAME"};
    return std::nullopt;
  }
  std::vector<std::string> names;
  for (const Number& n : numbers) {
    if (n.name == name) return std::pair(object, name);
    names.push_back(n.name);
  }
  error = {{},
           fmt::format("{} has no number '{}'", owner, name),
           suggestion(name, names, "a number it has", owner + ".")};
  return std::nullopt;
}

// Of ExpectNumber and ExpectCount.
template <class E>
bool in_bounds(const E& e, double value) {
  const double slack = 1e-9 * std::max(1.0, std::abs(value));  // for sums of decimal fractions
  return (!e.is || std::abs(value - *e.is) <= slack) &&
         (!e.at_least || value >= *e.at_least - slack) &&
         (!e.at_most || value <= *e.at_most + slack);
}
template <class E>
std::string describe_bounds(const E& e) {
  std::string text;
  if (e.is) text += fmt::format(" is {:g}", *e.is);
  if (e.at_least) text += fmt::format(" is at least {:g}", *e.at_least);
  if (e.at_most) text += fmt::format("{} at most {:g}", e.at_least ? " and" : " is", *e.at_most);
  return text;
}

template <int D>
ExpectationResult judge_number(const ExpectNumber& e, const Trace<D>& trace) {
  ExpectationResult r;
  Error error;
  const auto [object, name] = number_meant(e.number, trace, error).value();
  if (object == kNobody && e.number.starts_with('@')) return never_there(e.number);
  if (e.always) {
    const auto [least, greatest] = trace.number_range(object, name).value_or(std::pair(0.0, 0.0));
    r.met = in_bounds(e, least) && in_bounds(e, greatest);
    r.expected = e.number + " always" + describe_bounds(e);
    r.happened = least == greatest ? fmt::format("it was {:g}", least)
                                   : fmt::format("it was between {:g} and {:g}", least, greatest);
    return r;
  }
  const double value = trace.number_at(object, name, step_at(trace, e.at)).value_or(0);
  r.met = in_bounds(e, value);
  r.expected = e.number + " " + when(e.at) + describe_bounds(e);
  r.happened = fmt::format("it {} {:g}", e.at ? "was" : "is", value);
  return r;
}

template <int D>
ExpectationResult judge_count_of(const ExpectCount& e, const Trace<D>& trace) {
  ExpectationResult r;
  const TagQuery query = TagQuery::parse(e.query, trace.tags()).value();
  const auto matching = [&](std::uint64_t step) {
    std::vector<std::string> names;
    for (std::uint32_t i = 0; i < trace.objects().size(); ++i)
      if (trace.pose_at(i, step) && query.matches(trace.tags_at(i, step)))
        names.push_back(trace.objects()[i].name);
    return names;
  };
  const auto described = [](std::vector<std::string> names) {
    const std::size_t n = names.size();
    if (n > 5) names.resize(5);
    return fmt::format(
        "{}{}", n,
        n > 0 ? fmt::format(" ({}{})", fmt::join(names, ", "), n > 5 ? ", ..." : "") : "");
  };
  r.expected = fmt::format("count of {} {}{}", e.query, e.always ? "always" : when(e.at),
                           describe_bounds(e));
  std::uint64_t step = e.always ? 0 : step_at(trace, e.at);
  const std::uint64_t last = e.always ? trace.steps() : step;
  std::vector<std::string> names = matching(step);
  while (in_bounds(e, static_cast<double>(names.size())) && step < last) names = matching(++step);
  r.met = in_bounds(e, static_cast<double>(names.size()));
  if (e.always && r.met) r.happened = "it was";
  else if (e.always)
    r.happened = fmt::format("at {:.3f} s it was {}", static_cast<double>(step) / trace.rate(),
                             described(std::move(names)));
  else r.happened = fmt::format("it {} {}", e.at ? "was" : "is", described(std::move(names)));
  return r;
}

}  // namespace

template <int D>
Result<void> check_expectation(const Expectation<D>& e, const Trace<D>& trace) {
  if (!(e.from <= e.to))
    return Error{
        {}, fmt::format("the time from {:g} to {:g} s is empty", e.from, e.to), "from <= to"};
  if (e.at_least && e.at_most && *e.at_least > *e.at_most)
    return Error{{}, "at least is more than at most", "at_least <= at_most"};
  const auto both = [&](const std::string& a, const std::string& b) -> Result<void> {
    for (const std::string* text : {&a, &b})
      if (Result<Who> who = parse_who(*text, trace); !who) return who.error();
    return {};
  };
  if (const auto* r = std::get_if<ExpectReaction>(&e.what)) {
    std::vector<std::string> names;
    for (const ReactionReport& known : trace.reactions()) names.push_back(known.name);
    if (std::find(names.begin(), names.end(), r->reaction) == names.end()) {
      return Error{{},
                   fmt::format("no reaction is named '{}'", r->reaction),
                   suggestion(r->reaction, names, "the name of a reaction")};
    }
    for (const std::string* name : {&r->before, &r->after})
      if (!name->empty() && std::find(names.begin(), names.end(), *name) == names.end())
        return Error{{},
                     fmt::format("no reaction is named '{}'", *name),
                     suggestion(*name, names, "the name of a reaction")};
    return both(r->self, r->other);
  }
  if (const auto* c = std::get_if<ExpectContact>(&e.what)) return both(c->first, c->second);
  if (const auto* n = std::get_if<ExpectNumber>(&e.what)) {
    Error error;
    if (!number_meant(n->number, trace, error)) return error;
    if (n->at && n->always) return Error{{}, "sets always and one time", "one of the two"};
    if (!n->is && !n->at_least && !n->at_most)
      return Error{{}, "says nothing about the number", "is, at_least or at_most"};
  }
  if (const auto* c = std::get_if<ExpectCount>(&e.what)) {
    if (Result<TagQuery> query = TagQuery::parse(c->query, trace.tags()); !query)
      return query.error();
    if (!c->is && !c->at_least && !c->at_most)
      return Error{{}, "says nothing about the count", "is, at_least or at_most"};
    if (c->at && c->always) return Error{{}, "sets always and one time", "one of the two"};
  }
  if (const auto* o = std::get_if<ExpectObject<D>>(&e.what)) {
    if (Result<Who> who = parse_who("@" + o->object, trace); !who) return who.error();
    if (auto good = check_object_parts(*o, trace); !good) return good;
  }
  if (const auto* w = std::get_if<ExpectWalker>(&e.what)) {
    if (Result<Who> who = parse_who("@" + w->walker, trace); !who) return who.error();
    const std::uint32_t walker = trace.find(w->walker);
    if (walker != kNobody && !trace.walking_at(walker, trace.steps()))
      return Error{{}, fmt::format("'{}' is no walker", w->walker), "an object with a walker"};
    if (!w->on.empty())
      if (Result<Who> on = parse_who(w->on, trace); !on) return on.error();
    if (!w->stands && w->on.empty() && !w->highest_at_least && !w->highest_at_most)
      return Error{
          {}, "says nothing about the walker", "stands, on, highest_at_least or highest_at_most"};
    if (w->at && w->always) return Error{{}, "sets always and one time", "one of the two"};
  }
  return {};
}

namespace {

// The first time, in seconds, that an expectation is about.
template <int D>
double earliest(const Expectation<D>& e) {
  const auto at = [](const auto& what) -> std::optional<double> {
    if constexpr (requires { what.at; }) return what.at;
    else return std::nullopt;
  };
  return std::max(e.from, std::visit(at, e.what).value_or(0));
}
// To a hundredth of a step later: a time in decimals may be the last step's.
template <int D>
double end_of(const Trace<D>& trace) {
  return (static_cast<double>(trace.steps()) + 0.01) / trace.rate();
}

}  // namespace

template <int D>
ExpectationResult judge(const Expectation<D>& e, const Trace<D>& trace) {
  ExpectationResult r;
  if (Result<void> good = check_expectation(e, trace); !good) {
    r.expected = "an expectation that can be judged";
    r.happened = good.error().message();
  } else if (const double from = earliest(e); from > end_of(trace)) {
    r.expected = fmt::format("a run of at least {:g} s", from);
    r.happened = fmt::format("it ended at {:g} s, so that nothing is known about then",
                             static_cast<double>(trace.steps()) / trace.rate());
  } else if (const auto* reaction = std::get_if<ExpectReaction>(&e.what)) {
    r = judge_count(e, *reaction, trace);
  } else if (const auto* contact = std::get_if<ExpectContact>(&e.what)) {
    r = judge_count(e, *contact, trace);
  } else if (const auto* number = std::get_if<ExpectNumber>(&e.what)) {
    r = judge_number(*number, trace);
  } else if (const auto* count = std::get_if<ExpectCount>(&e.what)) {
    r = judge_count_of(*count, trace);
  } else if (const auto* object = std::get_if<ExpectObject<D>>(&e.what)) {
    r = judge_object(*object, trace);
  } else if (const auto* walker = std::get_if<ExpectWalker>(&e.what)) {
    r = judge_walker(e, *walker, trace);
  } else {
    const std::string& wanted = std::get<ExpectOutcome>(e.what).outcome;
    r.met = trace.outcome() == wanted;
    r.expected = "outcome is " + wanted;
    r.happened = trace.outcome() ? "it is " + *trace.outcome() : "the run ended without one";
  }
  r.place = e.place;
  return r;
}

template Result<void> check_expectation(const Expectation<2>&, const Trace<2>&);
template Result<void> check_expectation(const Expectation<3>&, const Trace<3>&);
template ExpectationResult judge(const Expectation<2>&, const Trace<2>&);
template ExpectationResult judge(const Expectation<3>&, const Trace<3>&);

}  // namespace colvik
