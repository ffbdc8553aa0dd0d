// Puts into words how far two came.
#include <fmt/format.h>

#include "watch/watch_impl.h"

namespace colvik {

namespace {

constexpr std::string_view kNames[] = {"never there together",
                                       "no collider",
                                       "the same object",
                                       "one family",
                                       "hidden",
                                       "switched off",
                                       "both static",
                                       "first refuses",
                                       "second refuses",
                                       "excepted",
                                       "never near",
                                       "near, but apart",
                                       "through a one-way surface",
                                       "not meant",
                                       "another channel",
                                       "another phase",
                                       "another cause",
                                       "too slow",
                                       "too soft",
                                       "from another side",
                                       "claimed before",
                                       "reaction off",
                                       "condition not met",
                                       "as often as it may",
                                       "cooling down",
                                       "fired for them already",
                                       "at another time",
                                       "touched",
                                       "fired"};

// "self.charge, which must be at least 3"
std::string required(const Condition& c, bool must) {
  const std::string side = c.side == Side::self ? "self" : "other";
  const std::string_view verb = must ? "must" : "must not";
  const auto range = [&] {
    if (c.least == c.most) return fmt::format("{} be {:g}", verb, c.least);
    if (c.most >= 1e300) return fmt::format("{} be at least {:g}", verb, c.least);
    if (c.least <= -1e300) return fmt::format("{} be at most {:g}", verb, c.most);
    return fmt::format("{} be from {:g} to {:g}", verb, c.least, c.most);
  };
  switch (c.kind) {
    case Condition::Kind::touches: return fmt::format("{} {} touch '{}'", side, verb, c.query);
    case Condition::Kind::is: return fmt::format("{} {} be '{}'", side, verb, c.query);
    case Condition::Kind::state: return fmt::format("{} {} be {}", side, verb, name_of(c.state));
    case Condition::Kind::number: return fmt::format("{} {}", c.number, range());
    default: return fmt::format("the number of '{}' {}", c.query, range());
  }
}

template <int D>
std::string of_condition(const Reaction<D>& r, const Refusal& by) {
  const std::size_t at = by.condition;
  const bool is_all = at < r.all.size();
  const bool is_any = !is_all && at < r.all.size() + r.any.size();
  const Condition& c = is_all   ? r.all[at]
                       : is_any ? r.any[at - r.all.size()]
                                : r.none[at - r.all.size() - r.any.size()];
  std::string text = required(c, is_all || is_any);
  if (c.kind == Condition::Kind::number || c.kind == Condition::Kind::count)
    text += fmt::format(", and was {:g}", by.was);
  else text += is_all || is_any ? ", and was not so" : ", and was so";
  return is_any && r.any.size() > 1 ? "none of 'any' held: " + text : text;
}

std::string times(const std::vector<double>& list) {
  std::string text;
  for (std::size_t i = 0; i < list.size() && i < 4; ++i)
    text += fmt::format("{}{:.3f}", i == 0 ? "" : ", ", list[i]);
  if (list.size() > 4) text += fmt::format(" and {} more", list.size() - 4);
  return text + " s";
}

// Of what a reaction decided about a touch or another start.
template <int D>
std::string by_reaction(const Progress<D>& p, const Reaction<D>& r, const Rules<D>& rules) {
  const Refusal& by = p.by;
  switch (p.stage) {
    case Stage::not_meant: return fmt::format("it is for '{}' with '{}'", r.self, r.other);
    case Stage::another_channel:
      return fmt::format("it requires a {} touch, and this was a {} touch",
                         name_of(*std::get<OnTouch>(r.when).channel), name_of(p.channel));
    case Stage::another_phase:
      return fmt::format("it starts on {}", name_of(std::get<OnTouch>(r.when).phase));
    case Stage::another_cause: return "it ended for a cause that does not count";
    case Stage::slower:
      return fmt::format("it requires a speed of {:g} or more, and this was {:.4g}", by.needed,
                         by.was);
    case Stage::softer:
      return fmt::format("it requires an impulse of {:g} or more, and this was {:.4g}", by.needed,
                         by.was);
    case Stage::another_side: return "it came from another side than the one that it requires";
    case Stage::claimed:
      return p.claimed_by ? fmt::format("'{}' had already requested the removal of one of the two",
                                        rules.reports()[*p.claimed_by].name)
                          : "the removal of one of the two was already requested";
    case Stage::off: return "it was switched off";
    case Stage::condition: return of_condition(r, by);
    case Stage::most:
      return by.was == 1 ? "it had fired once, as often as it may"
                         : fmt::format("it had fired {:g} times, as often as it may", by.was);
    case Stage::cooldown:
      return fmt::format("it had fired {:.3f} s before, and its cooldown is {:g} s", by.was,
                         by.needed);
    default:
      return r.once == Once::ever        ? "it had fired already, and does so once"
             : r.once == Once::per_visit ? "it had fired already in this visit"
                                         : "it had fired already for these two";
  }
}

}  // namespace

std::string_view name_of(Stage stage) { return kNames[static_cast<std::size_t>(stage)]; }

template <int D>
std::string Watch<D>::Impl::stopped(const WatchedPair<D>& two, const Progress<D>& p) const {
  const std::string both =
      two.second.empty() ? two.first : fmt::format("{} and {}", two.first, two.second);
  switch (p.stage) {
    case Stage::absent:
      return two.second.empty() ? "it never started" : both + " were never there at the same time";
    case Stage::no_collider: return fmt::format("one of {} has no collider", both);
    case Stage::far:
    case Stage::apart:
      return fmt::format("{} came no nearer than {:.3g} to each other (at {:.3f} s)", both, p.gap,
                         p.time);
    case Stage::one_way:
      return fmt::format(
          "{} passed through a one-way surface from a side that lets it through (at "
          "{:.3f} s)",
          both, p.time);
    case Stage::another_time: {
      std::vector<double> outside = two.fired_outside;
      if (!reaction)
        for (const WatchedTouch& t : two.touches) outside.push_back(t.begin);
      return fmt::format("{}{}{} at {}, outside the time in question", both,
                         both.empty() || !reaction ? " " : ": ", reaction ? "fired" : "touched",
                         times(outside));
    }
    case Stage::touched: return fmt::format("{} touched at {:.3f} s", both, p.time);
    default: break;
  }
  if (!p.verdict.empty()) return p.verdict;
  const std::string why = by_reaction(p, rules.reaction(reaction.value_or(0)), rules);
  if (two.second.empty())
    return fmt::format("{}{}started at {:.3f} s, but {}", both, both.empty() ? "" : ": ", p.time,
                       why);
  return fmt::format("{} {} at {:.3f} s, but {}", both,
                     p.phase == Phase::begin    ? "touched"
                     : p.phase == Phase::during ? "were touching"
                                                : "parted",
                     p.time, why);
}

template <int D>
std::string Watch<D>::sentence(const WatchedPair<D>& two) const {
  const std::string both =
      two.second.empty() ? two.first : fmt::format("{} and {}", two.first, two.second);
  const std::string_view colon = both.empty() ? "" : ": ";
  if (two.furthest.stage == Stage::fired)
    return fmt::format("{}{}fired at {}", both, colon, times(two.fired));
  return impl_->stopped(two, two.furthest);
}

template <int D>
std::string Watch<D>::sentence_since(const WatchedPair<D>& two) const {
  return impl_->stopped(two, two.since);
}

template <int D>
std::string Watch<D>::touches_of(const WatchedPair<D>& two) const {
  std::string text;
  const WatchedTouch* before = nullptr;
  std::size_t listed = 0;
  for (const WatchedTouch& t : two.touches) {
    if (++listed > 4) {
      text += fmt::format("; and {} more", two.touches.size() - 4);
      break;
    }
    text += fmt::format("{}at {:.3f} s", text.empty() ? "" : "; ", t.begin);
    if (before != nullptr && before->channel == t.channel)
      text += fmt::format(", {:.3f} s after they had parted ({}{})", t.begin - before->end,
                          name_of(before->cause),
                          before->parted > 0 ? fmt::format(", {:.2g} apart", before->parted) : "");
    before = &t;
  }
  return fmt::format("{} and {} touched {}", two.first, two.second, text);
}

template std::string Watch<2>::Impl::stopped(const WatchedPair<2>& two, const Progress<2>& p) const;
template std::string Watch<3>::Impl::stopped(const WatchedPair<3>& two, const Progress<3>& p) const;
template std::string Watch<2>::sentence_since(const WatchedPair<2>& two) const;
template std::string Watch<3>::sentence_since(const WatchedPair<3>& two) const;
template std::string Watch<2>::touches_of(const WatchedPair<2>& two) const;
template std::string Watch<3>::touches_of(const WatchedPair<3>& two) const;
template std::string Watch<2>::sentence(const WatchedPair<2>& two) const;
template std::string Watch<3>::sentence(const WatchedPair<3>& two) const;

}  // namespace colvik
