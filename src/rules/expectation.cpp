#include <colvik/expectation.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace colvik {
namespace {

// A firing or touch that an expectation looks at.
struct Instance {
  double time = 0;
  std::uint32_t self = kNobody, other = kNobody;
};

template <int D>
std::string name_in(const Trace<D>& trace, std::uint32_t object) {
  return object == kNobody ? "nobody" : trace.objects()[object].name;
}

template <int D>
bool is_who(const Who& who, const Trace<D>& trace, std::uint32_t object, const TagSet& tags) {
  if (object == kNobody) return who.object().empty() && who.query() == TagQuery();
  return who.matches(trace.objects()[object].name, tags);
}

template <int D>
Result<Who> parse_who(const std::string& text, const Trace<D>& trace) {
  Result<Who> who = Who::parse(text, trace.tags());
  if (!who || who.value().object().empty() || trace.find(who.value().object()) != kNobody) return who;
  std::vector<std::string> names;
  for (const TraceObject<D>& o : trace.objects()) names.push_back(o.name);
  return Error{{},
               fmt::format("no object is named '{}'", who.value().object()),
               suggestion(who.value().object(), names, "'@' and an object's name", "@")};
}

template <int D>
std::vector<Instance> instances(const ExpectReaction& e, const Trace<D>& trace, bool any_who) {
  const Who self = Who::parse(e.self, trace.tags()).value(), other = Who::parse(e.other, trace.tags()).value();
  std::vector<Instance> found;
  for (const TraceFiring<D>& f : trace.firings())
    if (trace.reactions()[f.reaction].name == e.reaction &&
        (any_who || (is_who(self, trace, f.self, f.self_tags) && is_who(other, trace, f.other, f.other_tags))))
      found.push_back({f.time, f.self, f.other});
  return found;
}

template <int D>
std::vector<Instance> instances(const ExpectContact& e, const Trace<D>& trace, bool /*any_who*/) {
  const Who first = Who::parse(e.first, trace.tags()).value(), second = Who::parse(e.second, trace.tags()).value();
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
  return fmt::format("{} of {} and {}", e.channel ? fmt::format("{} contact", name_of(*e.channel)) : "contact", e.first,
                     e.second);
}

template <int D>
std::string describe_count(const Expectation<D>& e) {
  std::string text;
  const auto times = [](std::uint64_t n) { return n == 1 ? "once" : n == 2 ? "twice" : fmt::format("{} times", n); };
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
  std::string text = found.size() == 1 ? "it happened once: " : fmt::format("it happened {} times: ", found.size());
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

template <int D, class What>
ExpectationResult judge_count(const Expectation<D>& e, const What& what, const Trace<D>& trace) {
  ExpectationResult r;
  r.expected = describe(what) + " " + describe_count(e);
  const std::vector<Instance> all = instances(what, trace, false);
  std::vector<Instance> counted;
  for (const Instance& i : all)
    if (i.time >= e.from && i.time <= e.to) counted.push_back(i);
  const std::uint64_t n = counted.size();
  if (e.never) r.met = n == 0;
  else if (e.times) r.met = n == *e.times;
  else r.met = n >= e.at_least.value_or(e.at_most ? 0 : 1) && (!e.at_most || n <= *e.at_most);
  r.happened = list(counted, trace);
  if (counted.empty() && !all.empty()) r.happened = list(all, trace) + ", outside these times";
  if (all.empty() && !r.met) {
    const std::vector<Instance> others = instances(what, trace, true);
    if (!others.empty()) r.happened += " for these; for others " + list(others, trace);
  }
  return r;
}

template <int D>
std::optional<double> final_number(const std::string& text, const Trace<D>& trace, Error& error) {
  const std::size_t dot = text.rfind('.');
  const std::string owner = text.substr(0, dot), name = dot == std::string::npos ? "" : text.substr(dot + 1);
  std::span<const Number> numbers;
  if (owner == "world") {
    numbers = trace.numbers();
  } else if (owner.starts_with('@')) {
    Result<Who> who = parse_who(owner, trace);
    if (!who) {
      error = who.error();
      return std::nullopt;
    }
    numbers = trace.objects()[trace.find(who.value().object())].numbers;
  } else {
    error = {{}, fmt::format("number '{}' does not say whose it is", text), "world.NAME or @OBJECT.NAME"};
    return std::nullopt;
  }
  std::vector<std::string> names;
  for (const Number& n : numbers) {
    if (n.name == name) return n.value;
    names.push_back(n.name);
  }
  error = {
      {}, fmt::format("{} has no number '{}'", owner, name), suggestion(name, names, "a number it has", owner + ".")};
  return std::nullopt;
}

template <int D>
ExpectationResult judge_number(const ExpectNumber& e, const Trace<D>& trace) {
  ExpectationResult r;
  Error error;
  const double value = final_number(e.number, trace, error).value_or(0);
  const double slack = 1e-9 * std::max(1.0, std::abs(value));  // for sums of decimal fractions
  r.met = (!e.is || std::abs(value - *e.is) <= slack) && (!e.at_least || value >= *e.at_least - slack) &&
          (!e.at_most || value <= *e.at_most + slack);
  r.expected = e.number + " at the end";
  if (e.is) r.expected += fmt::format(" is {:g}", *e.is);
  if (e.at_least) r.expected += fmt::format(" is at least {:g}", *e.at_least);
  if (e.at_most) r.expected += fmt::format("{} at most {:g}", e.at_least ? " and" : " is", *e.at_most);
  r.happened = fmt::format("it is {:g}", value);
  return r;
}

template <int D>
ExpectationResult judge_object(const ExpectObject<D>& e, const Trace<D>& trace) {
  ExpectationResult r;
  const std::uint32_t index = trace.find(e.object);
  const TraceObject<D>& o = trace.objects()[index];
  const std::optional<Pose<D>> pose = trace.pose_at(index, trace.steps());
  r.met = true;
  r.expected = "@" + e.object + " at the end";
  if (e.present) {
    r.expected += *e.present ? " is present" : " is gone";
    r.met = pose.has_value() == *e.present;
  }
  if (e.inside) {
    r.expected += fmt::format("{} inside {}", e.present ? " and" : " is", e.region);
    r.met = r.met && pose && e.inside->contains(pose->position);
  }
  if (pose) {
    r.happened = "it is at";
    for (int i = 0; i < D; ++i) r.happened += fmt::format("{} {:.3f}", i > 0 ? "," : "", pose->position[i]);
  } else if (o.gone != kNever) {
    r.happened = fmt::format("it was removed at {:.3f} s", static_cast<double>(o.gone) / trace.rate());
  } else {
    r.happened = "it is hidden";
  }
  return r;
}

}  // namespace

template <int D>
Result<void> check_expectation(const Expectation<D>& e, const Trace<D>& trace) {
  if (!(e.from <= e.to))
    return Error{{}, fmt::format("the time from {:g} to {:g} s is empty", e.from, e.to), "from <= to"};
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
    return both(r->self, r->other);
  }
  if (const auto* c = std::get_if<ExpectContact>(&e.what)) return both(c->first, c->second);
  if (const auto* n = std::get_if<ExpectNumber>(&e.what)) {
    Error error;
    if (!final_number(n->number, trace, error)) return error;
    if (!n->is && !n->at_least && !n->at_most)
      return Error{{}, "says nothing about the number", "is, at_least or at_most"};
  }
  if (const auto* o = std::get_if<ExpectObject<D>>(&e.what)) {
    if (Result<Who> who = parse_who("@" + o->object, trace); !who) return who.error();
    if (!o->present && !o->inside) return Error{{}, "says nothing about the object", "present or inside"};
  }
  return {};
}

template <int D>
ExpectationResult judge(const Expectation<D>& e, const Trace<D>& trace) {
  ExpectationResult r;
  if (Result<void> good = check_expectation(e, trace); !good) {
    r.expected = "an expectation that can be judged";
    r.happened = good.error().message();
  } else if (const auto* reaction = std::get_if<ExpectReaction>(&e.what)) {
    r = judge_count(e, *reaction, trace);
  } else if (const auto* contact = std::get_if<ExpectContact>(&e.what)) {
    r = judge_count(e, *contact, trace);
  } else if (const auto* number = std::get_if<ExpectNumber>(&e.what)) {
    r = judge_number(*number, trace);
  } else if (const auto* object = std::get_if<ExpectObject<D>>(&e.what)) {
    r = judge_object(*object, trace);
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
