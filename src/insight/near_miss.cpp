#include <colvik/insight.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace colvik {
namespace {

constexpr std::size_t kMostPairs = 2000;

// Whose meeting an expectation requires.
struct Wanted {
  std::vector<Who> first;
  std::vector<Who> second;  // all of a list must match
  const ReactionReport* reaction = nullptr;
};

template <int D>
std::optional<Wanted> wanted(const Expectation<D>& e, const Trace<D>& trace) {
  const auto who = [&](const std::string& text) { return Who::parse(text, trace.tags()).value(); };
  if (const auto* c = std::get_if<ExpectContact>(&e.what))
    return Wanted{{who(c->first)}, {who(c->second)}, nullptr};
  const auto* r = std::get_if<ExpectReaction>(&e.what);
  if (r == nullptr) return std::nullopt;
  for (const ReactionReport& report : trace.reactions())
    if (report.name == r->reaction && std::holds_alternative<OnTouch>(report.when))
      return Wanted{{who(r->self), report.self}, {who(r->other), report.other}, &report};
  return std::nullopt;
}

template <int D>
bool is_meant(const std::vector<Who>& whos, const TraceObject<D>& o) {
  TagSet tags = o.tags;
  for (const Party& p : o.parties) tags = tags.merged(p.tags);
  return std::all_of(whos.begin(), whos.end(),
                     [&](const Who& who) { return who.matches(o.name, tags); });
}

struct Nearest {
  double gap = std::numeric_limits<double>::max();
  std::uint64_t step = 0;
};

template <int D>
Nearest nearest_approach(const Trace<D>& trace, std::uint32_t a, std::uint32_t b) {
  Nearest best;
  const TraceObject<D>& oa = trace.objects()[a];
  const TraceObject<D>& ob = trace.objects()[b];
  for (std::uint64_t step = 0; step <= trace.steps(); ++step) {
    const auto pa = trace.pose_at(a, step);
    const auto pb = trace.pose_at(b, step);
    if (!pa || !pb) continue;
    for (std::size_t i = 0; i < oa.colliders.size(); ++i)
      for (std::size_t j = 0; j < ob.colliders.size(); ++j) {
        Party first = oa.parties[i];
        Party second = ob.parties[j];
        first.active = second.active = true;
        if (!decide(first, second).meet) continue;
        const ColliderDef<D>& ca = oa.colliders[i];
        const ColliderDef<D>& cb = ob.colliders[j];
        const Pose<D> other = pa->relative(*pb) * Pose<D>{cb.at, cb.turned};
        const double gap =
            gap_between(ca.shape, Pose<D>{ca.at, ca.turned}, cb.shape, other, best.gap);
        if (gap < best.gap) best = {gap, step};
      }
  }
  return best;
}

// Why these two never meet, or "" when they may.
template <int D>
std::string refusal(const Trace<D>& trace, const TraceObject<D>& a, const TraceObject<D>& b) {
  if (a.parties.empty() || b.parties.empty())
    return fmt::format("{} has no collider", a.parties.empty() ? a.name : b.name);
  std::string first_reason;
  for (Party pa : a.parties)
    for (Party pb : b.parties) {
      pa.active = pb.active = true;  // it may have been shown for a while
      const Verdict verdict = decide(pa, pb);
      if (verdict.meet) return "";
      if (first_reason.empty())
        first_reason = explain(verdict, pa, a.name, pb, b.name, trace.tags());
    }
  return first_reason;
}

// They touched and yet it did not fire: what about the touch did not fit.
std::string unfit(const ReactionReport& reaction, const TraceTouch& touch) {
  const OnTouch& start = std::get<OnTouch>(reaction.when);
  if (start.channel && *start.channel != touch.channel)
    return fmt::format("it requires a {} touch and this was a {} touch", name_of(*start.channel),
                       name_of(touch.channel));
  if (start.phase != touch.phase) return fmt::format("it starts on {}", name_of(start.phase));
  std::string why;  // of all its starts, what held some of them back
  const auto add = [&](std::uint64_t n, std::string_view what) {
    if (n > 0) why += fmt::format("{}{}", why.empty() ? "" : ", or ", what);
  };
  add(reaction.stopped_guard, "a condition did not hold");
  add(reaction.stopped_limit, "it had fired as often as it may");
  add(reaction.stopped_going, "one of the two was going");
  add(reaction.stopped_off, "it was switched off");
  return why.empty() ? "not as fast, as hard or from the side that it requires" : why;
}

}  // namespace

template <int D>
std::string near_miss(const Expectation<D>& e, const Trace<D>& trace) {
  const std::optional<Wanted> w = wanted(e, trace);
  if (!w) return "";
  if (w->reaction != nullptr && w->reaction->fired > 0 && e.from <= 0 && e.to > trace.time() &&
      std::get<ExpectReaction>(e.what).self == "any" &&
      std::get<ExpectReaction>(e.what).other == "any")
    return "";  // it did fire, and what was missed is how often or in which order
  struct Best {
    Nearest nearest;
    std::uint32_t a = kNobody;
    std::uint32_t b = kNobody;
  } best;
  std::string refused;
  std::size_t pairs = 0;
  for (std::uint32_t a = 0; a < trace.objects().size(); ++a) {
    if (!is_meant(w->first, trace.objects()[a])) continue;
    for (std::uint32_t b = 0; b < trace.objects().size(); ++b) {
      if (a == b || !is_meant(w->second, trace.objects()[b])) continue;
      if (++pairs > kMostPairs) break;
      if (const std::string reason = refusal(trace, trace.objects()[a], trace.objects()[b]);
          !reason.empty()) {
        if (refused.empty()) refused = reason;
        continue;
      }
      const Nearest n = nearest_approach(trace, a, b);
      if (n.gap < best.nearest.gap) best = {n, a, b};
    }
  }
  if (pairs == 0) return "no two objects that were there fit";
  if (best.a == kNobody) return refused;
  const std::string& name_a = trace.objects()[best.a].name;
  const std::string& name_b = trace.objects()[best.b].name;
  for (const TraceTouch& t : trace.touches()) {
    const bool these =
        (t.self == best.a && t.other == best.b) || (t.self == best.b && t.other == best.a);
    if (!these || w->reaction == nullptr) continue;
    return fmt::format("{} and {} touched at {:.3f} s, but {}", name_a, name_b, t.time,
                       unfit(*w->reaction, t));
  }
  return fmt::format("{} and {} came no nearer than {:.3g} to each other (at {:.3f} s)", name_a,
                     name_b, std::max(best.nearest.gap, 0.0),
                     static_cast<double>(best.nearest.step) / trace.rate());
}

template std::string near_miss(const Expectation<2>&, const Trace<2>&);
template std::string near_miss(const Expectation<3>&, const Trace<3>&);

}  // namespace colvik
