// What of a scene a run tried, and what never.
#include <colvik/insight.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace colvik {

std::string_view name_of(Tried::What what) {
  switch (what) {
    case Tried::What::reaction: return "reactions fired";
    case Tried::What::negative: return "tried in the negative";
    case Tried::What::zone: return "zones entered";
    default: return "tags met";
  }
}

double Coverage::percent() const {
  const auto n = std::count_if(all.begin(), all.end(), [](const Tried& t) { return t.tried; });
  return all.empty() ? 100 : 100.0 * static_cast<double>(n) / static_cast<double>(all.size());
}

namespace {

// Whether one side of a touch fits a reaction and the other does not, in the phase and channel that
// it requires.
template <int D>
bool is_negative(const ReactionReport& r, const TraceTouch& t, const Trace<D>& trace) {
  const OnTouch& on = std::get<OnTouch>(r.when);
  if (on.phase != t.phase || (on.channel && *on.channel != t.channel) || t.self == kNobody ||
      t.other == kNobody)
    return false;
  const auto fits = [&](const Who& who, std::uint32_t object, const TagSet& tags) {
    return who.matches(trace.objects()[object].name, tags);
  };
  const bool one = fits(r.self, t.self, t.self_tags) != fits(r.other, t.other, t.other_tags);
  const bool turned = fits(r.self, t.other, t.other_tags) != fits(r.other, t.self, t.self_tags);
  const bool fired = (fits(r.self, t.self, t.self_tags) && fits(r.other, t.other, t.other_tags)) ||
                     (fits(r.self, t.other, t.other_tags) && fits(r.other, t.self, t.self_tags));
  return !fired && (one || turned);
}

// Whether a filter keeps something that does not fit from where the reaction expects a touch.
template <int D>
bool is_kept_out(const ReactionReport& r, const Trace<D>& trace) {
  const auto refused = [](const Party& a, const Party& b) {
    const DecidedBy by = decide(a, b).by;
    return by == DecidedBy::first_refuses || by == DecidedBy::second_refuses;
  };
  struct Sort {
    bool self = false;
    bool other = false;  // whether it fits them
    Party party;
  };
  std::vector<Sort> sorts;  // of the same sort one says as much as many
  for (const TraceObject<D>& o : trace.objects())
    for (Party p : o.parties) {
      p.active = p.on = true;
      const Sort sort{r.self.matches(o.name, o.tags), r.other.matches(o.name, o.tags), p};
      const bool known = std::any_of(sorts.begin(), sorts.end(), [&](const Sort& q) {
        return q.self == sort.self && q.other == sort.other && q.party.tags == p.tags &&
               q.party.meets == p.meets && q.party.body == p.body;
      });
      if (!known) sorts.push_back(sort);
    }
  for (const Sort& a : sorts)
    for (const Sort& b : sorts)
      if (a.self != b.other && a.party.object != b.party.object && refused(a.party, b.party))
        return true;
  return false;
}

// Whether something is expected not to happen, whoever it is.
template <int D>
bool is_ruled_out(std::span<const Expectation<D>> expectations, const std::string& reaction) {
  return std::any_of(expectations.begin(), expectations.end(), [&](const Expectation<D>& e) {
    const auto* r = std::get_if<ExpectReaction>(&e.what);
    return r != nullptr && r->reaction == reaction && r->self == "any" && r->other == "any" &&
           (e.never || e.times == 0U) && e.from <= 0;
  });
}
template <int D>
bool is_ruled_out(std::span<const Expectation<D>> expectations, std::string_view tag,
                  std::string_view other) {
  return std::any_of(expectations.begin(), expectations.end(), [&](const Expectation<D>& e) {
    const auto* c = std::get_if<ExpectContact>(&e.what);
    return c != nullptr && (e.never || e.times == 0U) && e.from <= 0 && !c->channel &&
           ((c->first == tag && c->second == other) || (c->first == other && c->second == tag));
  });
}

// Each two tags of colliders that accept each other.
template <int D>
std::set<std::pair<std::uint32_t, std::uint32_t>> tags_that_may_meet(const Trace<D>& trace) {
  std::vector<Party> parties;  // of two objects for each sort: more would say the same
  for (const TraceObject<D>& o : trace.objects())
    for (Party p : o.parties) {
      p.active = p.on = true;
      const auto alike = std::count_if(parties.begin(), parties.end(), [&](const Party& q) {
        return q.tags == p.tags && q.meets == p.meets && q.zone == p.zone && q.body == p.body;
      });
      if (alike < 2) parties.push_back(p);
    }
  std::set<std::pair<std::uint32_t, std::uint32_t>> may;
  for (const Party& a : parties)
    for (const Party& b : parties) {
      if (!decide(a, b).meet) continue;
      for (const Tag x : a.tags.list())
        for (const Tag y : b.tags.list())
          may.emplace(std::min(x.index, y.index), std::max(x.index, y.index));
    }
  return may;
}

}  // namespace

template <int D>
Coverage coverage(const Trace<D>& trace, std::span<const Expectation<D>> expectations) {
  Coverage c;
  for (const ReactionReport& r : trace.reactions())
    if (r.fired > 0 || !is_ruled_out(expectations, r.name))
      c.all.push_back({Tried::What::reaction, r.name, r.fired > 0});
  for (const ReactionReport& r : trace.reactions()) {
    if (!std::holds_alternative<OnTouch>(r.when)) continue;
    const bool tried = std::any_of(trace.touches().begin(), trace.touches().end(),
                                   [&](const TraceTouch& t) { return is_negative(r, t, trace); });
    c.all.push_back({Tried::What::negative, r.name, tried || is_kept_out(r, trace)});
  }
  std::set<std::string> entered;  // by name: after a restart an object is there again
  std::set<std::pair<std::uint32_t, std::uint32_t>> met;
  for (const TraceTouch& t : trace.touches()) {
    if (t.phase != Phase::begin) continue;
    if (t.channel == Channel::zone)
      for (const std::uint32_t object : {t.self, t.other})
        if (object != kNobody) entered.insert(trace.objects()[object].name);
    for (const Tag x : t.self_tags.list())
      for (const Tag y : t.other_tags.list())
        met.emplace(std::min(x.index, y.index), std::max(x.index, y.index));
  }
  std::set<std::string> reported;
  for (const TraceObject<D>& o : trace.objects()) {
    if (std::any_of(o.colliders.begin(), o.colliders.end(),
                    [](const ColliderDef<D>& x) { return x.zone; }) &&
        reported.insert(o.name).second)
      c.all.push_back({Tried::What::zone, o.name, entered.contains(o.name)});
  }
  for (const auto& two : tags_that_may_meet(trace)) {
    const std::string_view tag = trace.tags().name({two.first});
    const std::string_view other = trace.tags().name({two.second});
    if (!met.contains(two) && is_ruled_out(expectations, tag, other)) continue;
    c.all.push_back({Tried::What::tags, fmt::format("{} and {}", tag, other), met.contains(two)});
  }
  return c;
}

std::string coverage_report(const Coverage& coverage, bool full) {
  constexpr std::size_t kRoom = 40;  // for names, in a line of 100
  std::string out;
  for (const Tried::What what :
       {Tried::What::reaction, Tried::What::negative, Tried::What::zone, Tried::What::tags}) {
    std::size_t all = 0;
    std::size_t tried = 0;
    std::vector<std::string> never;
    for (const Tried& t : coverage.all) {
      if (t.what != what) continue;
      ++all;
      if (t.tried) ++tried;
      else never.push_back(t.name);
    }
    if (all == 0) continue;
    out += fmt::format("  {:<21}  {:>3} of {}", name_of(what), tried, all);
    if (full) {
      for (const std::string& name : never) out += fmt::format("\n      never  {}", name);
    } else if (!never.empty()) {
      std::string names;
      std::size_t named = 0;
      for (; named < never.size() && (named == 0 || names.size() + never[named].size() < kRoom);
           ++named)
        names += (named > 0 ? ", " : "") + never[named];
      out += "  never: " + names;
      if (named < never.size()) out += fmt::format(" and {} more", never.size() - named);
    }
    out += "\n";
  }
  return out + fmt::format("  {:.0f}% of all\n", std::floor(coverage.percent()));
}

template Coverage coverage(const Trace<2>&, std::span<const Expectation<2>>);
template Coverage coverage(const Trace<3>&, std::span<const Expectation<3>>);

}  // namespace colvik
