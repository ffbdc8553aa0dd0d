#include "pairs/contact_results.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

#include "pairs/access.h"

namespace colvik::world {

namespace {

constexpr std::size_t kPairsAhead = 12;  // while reading

// Moves what each worker found into one list, in an order that does not depend on the workers.
template <class T>
void gather_sorted(std::vector<std::vector<T>>& by_worker, std::vector<T>& all) {
  all.clear();
  for (std::vector<T>& some : by_worker) {
    all.insert(all.end(), some.begin(), some.end());
    some.clear();
  }
  std::sort(all.begin(), all.end());
}

}  // namespace

template <int D>
void record_contact(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                    const dynamics::Contact<D>& c, std::uint32_t pair, bool at_end) {
  Pair<D>& p = pairs.list[pair];
  const Rotation<D> back = store.objects[p.object_a].shown.pose.rotation.inverse();
  const dynamics::SolverPoint<D>* deepest = nullptr;
  double least = 0;
  bool pushes = false;
  for (int k = 0; k < c.count; ++k) {
    const dynamics::SolverPoint<D>& point = c.points[k];
    if (point.push > 0)
      p.cached.push_back({point.id, static_cast<std::uint8_t>(c.even - (c.even > 0 ? 1 : 0)),
                          point.push, point.drag, c.roll, back * point.arm_a});
    p.impulse += point.total_push;
    if (point.total_push > 0 || point.when >= 0) {
      const double gained = point.when >= 0 ? contacts.solver.approach_gain(c) * point.when : 0;
      p.approach = std::max(p.approach, point.approach + gained);
    }
    if (!p.touching && point.approach > 0) {
      // It may touch without a push, when another contact of the same moment stops it.
      const double gain = contacts.solver.approach_gain(c);
      const double time = dynamics::time_to_close(point.gap, point.approach, gain);
      if (time <= 1 / store.settings.rate && (p.coming < 0 || time < p.coming)) {
        p.coming = time;
        p.approach = std::max(p.approach, point.approach + gain * time);
      }
    }
    if (point.when >= 0) p.when = p.when < 0 ? point.when : std::min(p.when, point.when);
    pushes = pushes || point.total_push > 0;
    // Within the step the first one speaks.
    const double gap = at_end ? contacts.solver.gap_now(c, point) : 0;
    if (deepest == nullptr || gap < least) {
      deepest = &point;
      least = gap;
    }
  }
  if (deepest == nullptr || (at_end ? least >= p.gap : !pushes)) return;
  if (at_end) {
    p.gap = least;
    p.closing = -c.normal.dot(contacts.solver.relative_velocity(c, *deepest));
  }
  if (at_end && !pushes && p.impulse > 0) return;  // it was hit elsewhere
  // Halfway between the two surface points, each carried along by its body.
  const auto centre_after = [&](std::uint32_t object, std::uint32_t body) -> Vec<D> {
    const Object<D>& o = store.objects[object].shown;
    return body == kNoBody ? Vec<D>(o.pose * o.mass_centre) : contacts.bodies[body].centre;
  };
  p.normal = c.normal;
  p.point = 0.5 * (centre_after(p.object_a, c.a) + deepest->arm_a + centre_after(p.object_b, c.b) +
                   deepest->arm_b);
}

// A body that meets several things in one moment touches them all then, though the impulse of the
// first may leave nothing for the others until later.
template <int D>
void begin_together(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts) {
  constexpr double kOneMoment = 2e-5;  // seconds
  gather_sorted(contacts.begun_by_worker, contacts.begun);
  const auto shares_body = [&](const Pair<D>& p, const Pair<D>& q) {
    const auto moves = [&](std::uint32_t slot) {
      return store.objects[store.objects[slot].root].shown.body == BodyKind::dynamic;
    };
    return (moves(p.object_a) && (p.object_a == q.object_a || p.object_a == q.object_b)) ||
           (moves(p.object_b) && (p.object_b == q.object_a || p.object_b == q.object_b));
  };
  // Few begin in one step; where many do, they are compared with the next ones in order only.
  constexpr std::size_t kNear = 64;
  for (std::size_t i = 0; i < contacts.begun.size(); ++i) {
    Pair<D>& p = pairs.list[contacts.begun[i]];
    if (p.coming < 0 || (p.when >= 0 && p.when <= p.coming + kOneMoment)) continue;
    const std::size_t first = i > kNear ? i - kNear : 0;
    const std::size_t last = std::min(contacts.begun.size(), i + kNear);
    for (std::size_t k = first; k < last; ++k) {
      const Pair<D>& q = pairs.list[contacts.begun[k]];
      if (k == i || q.when < 0 || std::abs(q.when - p.coming) > kOneMoment || !shares_body(p, q))
        continue;
      p.when = p.coming;
      break;
    }
  }
  for (const std::uint32_t i : contacts.begun) pairs.list[i].coming = -1;
}

template <int D>
void read_contacts(Store<D>& store, PairTable<D>& pairs, Sleepers<D>& sleepers, Walkers<D>& walkers,
                   ContactStage<D>& contacts) {
  math::Crew& crew = contacts.solver.crew();
  crew.share(contacts.batch.contacts.size(), kPart,
             [&](std::size_t first, std::size_t last, std::size_t) {
               record_contacts(store, pairs, contacts, first, last);
             });
  contacts.deep_by_worker.resize(crew.size());
  contacts.begun_by_worker.resize(crew.size());
  crew.share(pairs.active.size(), kPart,
             [&](std::size_t first, std::size_t last, std::size_t worker) {
               update_touching(store, pairs, sleepers, walkers, first, last,
                               contacts.deep_by_worker[worker], contacts.begun_by_worker[worker]);
             });
  begin_together(store, pairs, contacts);
  // Squeezed is what stays deep in two things that do not yield, from opposite sides.
  gather_sorted(contacts.deep_by_worker, contacts.deep);
  const auto inward = [&](const Pair<D>& p) {
    return Vec<D>(store.objects[p.object_a].shown.body == BodyKind::dynamic ? -p.normal : p.normal);
  };
  for (std::size_t i = 0; i < contacts.deep.size(); ++i)
    for (std::size_t k = i;
         k < contacts.deep.size() && contacts.deep[k].first == contacts.deep[i].first; ++k) {
      Pair<D>& p = pairs.list[contacts.deep[i].second];
      Pair<D>& q = pairs.list[contacts.deep[k].second];
      if (inward(p).dot(inward(q)) < -0.5) p.squeezed = q.squeezed = true;
    }
}

// Of contacts whose pairs begin there: those of a pair come one after the other.
template <int D>
void record_contacts(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                     std::size_t first, std::size_t last) {
  constexpr std::size_t kContacts = 24;
  constexpr std::size_t kPlaces = 6;  // ahead
  const std::vector<std::uint32_t>& of = contacts.batch.contact_pairs;
  while (first > 0 && first < last && of[first] == of[first - 1]) ++first;
  if (first == last) return;
  while (last < of.size() && of[last] == of[last - 1]) ++last;
  for (std::size_t i = first; i < last; ++i) {
    if (i + kContacts < last) math::fetch(&contacts.batch.contacts[i + kContacts], 1);
    if (i + kPairsAhead < last) math::fetch(&pairs.list[of[i + kPairsAhead]], sizeof(Pair<D>));
    if (i + kPlaces < last) {
      const dynamics::Contact<D>& c = contacts.batch.contacts[i + kPlaces];
      prefetch_place(store, pairs.list[of[i + kPlaces]].object_a);
      for (const std::uint32_t body : {c.a, c.b}) {
        math::fetch(&contacts.solver.moving(body), offsetof(dynamics::Moving<D>, gain));
        math::fetch(&contacts.bodies[body].centre, 1);
      }
    }
    record_contact(store, pairs, contacts, contacts.batch.contacts[i], of[i], true);
  }
}

// Whether active pairs touch now, and which of them are deep in each other.
template <int D>
void update_touching(Store<D>& store, PairTable<D>& pairs, Sleepers<D>& sleepers,
                     Walkers<D>& walkers, std::size_t first, std::size_t last,
                     std::vector<std::pair<std::uint32_t, std::uint32_t>>& deep_ones,
                     std::vector<std::uint32_t>& begun) {
  for (std::size_t k = first; k < last; ++k) {
    if (k + kPairsAhead < last) {
      const Pair<D>& soon = pairs.list[pairs.active[k + kPairsAhead]];
      math::fetch(&soon, 1);
      math::fetch(&soon.gap, 1);
    }
    const std::uint32_t i = pairs.active[k];
    Pair<D>& p = pairs.list[i];
    if (!p.responds || pair_rests(store, sleepers, p) || has_walker(store, walkers, p)) continue;
    const double reach = (p.touching ? kLetGo : kTouching) * store.settings.metre;
    const bool before = p.touching;
    // What is about to hit touches when it does, not a step before.
    const bool hits = !before && p.gap > 0 && p.closing > reach * store.settings.rate;
    // Away from it already.
    const bool struck = p.impulse > 0 || p.when >= 0;
    const bool bounced = struck && p.gap > kLetGo * store.settings.metre;
    p.touching = !bounced && (struck || (p.gap <= reach && !hits));
    p.passed = bounced && !before;
    if (p.touching && !before) begun.push_back(i);
    else p.coming = -1;
    p.left = before && !p.touching;
    p.squeezed = false;
    if (!p.touching || p.gap >= -kLetGo * store.settings.metre) continue;
    const bool moves_a = store.objects[p.object_a].shown.body == BodyKind::dynamic;
    const bool moves_b = store.objects[p.object_b].shown.body == BodyKind::dynamic;
    if (moves_a != moves_b) deep_ones.emplace_back(moves_a ? p.object_a : p.object_b, i);
  }
}

template void record_contact(Store<2>& store, PairTable<2>& pairs, ContactStage<2>& contacts,
                             const dynamics::Contact<2>& c, std::uint32_t pair, bool at_end);
template void record_contact(Store<3>& store, PairTable<3>& pairs, ContactStage<3>& contacts,
                             const dynamics::Contact<3>& c, std::uint32_t pair, bool at_end);
template void read_contacts(Store<2>& store, PairTable<2>& pairs, Sleepers<2>& sleepers,
                            Walkers<2>& walkers, ContactStage<2>& contacts);
template void read_contacts(Store<3>& store, PairTable<3>& pairs, Sleepers<3>& sleepers,
                            Walkers<3>& walkers, ContactStage<3>& contacts);

}  // namespace colvik::world
