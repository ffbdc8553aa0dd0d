#include "pairs/one_way.h"

#include <algorithm>

#include "math/fault.h"
#include "pairs/access.h"
#include "pairs/extent.h"

namespace colvik::world {

namespace {

// Whether the other one is on the open side of a one-way collider, beyond its whole surface but for
// `slack`, and whether it goes away from it.
struct Side {
  bool clear = true;
  bool parts = false;
};

template <int D>
Side side_of(const Store<D>& store, const Pair<D>& p, const Crossing<D>& now, double slack) {
  Side side;
  const auto look = [&](const ColliderState<D>& surface, const Place<D>& at,
                        const ColliderState<D>& other, const Place<D>& other_at,
                        const Vec<D>& velocity) {
    if (!surface.one_way) return;
    const ColliderDef<D>& ds = definition_of(store, surface);
    // In the surface's own frame, so that it does not matter how far from the origin they are.
    const Pose<D> it = relative_pose(surface, at, other, other_at);
    const Vec<D> open = ds.one_way.normalized();
    side.clear = side.clear && extent_along<D>(other.shape, it, open).first >=
                                   extent_along<D>(ds.shape, Pose<D>{}, open).second - slack;
    const Vec<D> out = at.rotation * Vec<D>(surface.own.rotation * open);
    side.parts = side.parts || out.dot(velocity) > 1e-9 * store.settings.metre;
  };
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  look(ca, now.at_a, cb, now.at_b, now.velocity);
  look(cb, now.at_b, ca, now.at_a, Vec<D>(-now.velocity));
  return side;
}

}  // namespace

template <int D>
bool holds_one_way(const Store<D>& store, Pair<D>& p, const Crossing<D>& now) {
  const double slack = 2 * kTouching * store.settings.metre;
  if (!p.touching && p.impulse <= 0) p.standing.clear();  // it was near, and did not come to stand
  if (now.gap > kLetGo * store.settings.metre) p.ignored = p.passing = false;
  if (p.ignored) p.standing.clear();
  if (p.ignored || !p.standing.empty()) return !p.ignored;
  const Side side = side_of(store, p, now, slack);
  if (p.passing && !side.parts && side_of(store, p, now, 0.0).clear) p.passing = false;
  const bool held = (!p.passing && !side.parts && side.clear) || COLVIK_FAULT(19);
  if (!held && now.gap <= 0) p.passing = true;
  p.standing.assign(held ? 1 : 0, 1U);
  return held;
}

template <int D>
void see_from_behind(const Store<D>& store, Pair<D>& p, const AnyPlace<D>& at_a,
                     const AnyPlace<D>& at_b, double margin, bool has_contacts) {
  if (p.touching || (has_contacts && !p.passing)) return;
  const ColliderState<D>& a = store.colliders[p.a];
  const ColliderState<D>& b = store.colliders[p.b];
  const double let_go = kLetGo * store.settings.metre;
  const double gap =
      contact::nearest(a.shape, b.shape, relative_pose(a, at_a, b, at_b), std::max(margin, let_go))
          .gap;
  if (gap > let_go) p.passing = false;
  if (has_contacts || p.passing || gap > margin) return;
  const auto behind = [&](const ColliderState<D>& surface, const AnyPlace<D>& at,
                          const ColliderState<D>& other, const AnyPlace<D>& other_at) {
    return surface.backed &&
           contact::is_behind(surface.shape, other.shape,
                              relative_pose(surface, at, other, other_at), margin);
  };
  p.passing = p.from_behind = behind(a, at_a, b, at_b) || behind(b, at_b, a, at_a);
}

template <int D>
void look_from_behind(const Store<D>& store, Pair<D>& p, const AnyPlace<D>& at_a,
                      const AnyPlace<D>& at_b, double margin,
                      std::vector<contact::Manifold<D>>& spare) {
  if (p.touching) return;
  const ColliderState<D>& a = store.colliders[p.a];
  const ColliderState<D>& b = store.colliders[p.b];
  contact::collide(a.shape, b.shape, relative_pose(a, at_a, b, at_b), margin, 0, spare);
  see_from_behind(store, p, at_a, at_b, margin, !spare.empty());
}

template <int D>
void apply_one_way(const Store<D>& store, Pair<D>& p, Crossing<D> now,
                   std::vector<contact::Manifold<D>>& among) {
  if (among.empty()) {
    p.ignored = false;
    if (!has_back(store, p)) p.passing = false;
    p.standing.clear();
    return;
  }
  if (has_one_way(store, p)) {
    now.gap = among[0].points[0].gap;
    for (const contact::Manifold<D>& m : among) now.gap = m.least_gap(now.gap);
    if (!holds_one_way(store, p, now)) among.clear();
    return;
  }
  const double clear = -2 * kTouching * store.settings.metre;
  const Vec<D> velocity =
      store.colliders[p.a].placed({kZero, now.at_a.rotation}).rotation.inverse() * now.velocity;
  std::vector<std::uint32_t> standing;
  std::erase_if(among, [&](const contact::Manifold<D>& m) {
    if (m.one_way == 0) return false;
    const double gap = m.least_gap(m.points[0].gap);
    const bool parts = m.normal.dot(velocity) > 1e-9 * store.settings.metre;
    const bool stood =
        std::find(p.standing.begin(), p.standing.end(), m.one_way) != p.standing.end();
    if (p.ignored || (!stood && (gap < clear || parts))) return true;
    standing.push_back(m.one_way);
    return false;
  });
  p.standing = std::move(standing);
}

template bool holds_one_way(const Store<2>& store, Pair<2>& p, const Crossing<2>& now);
template bool holds_one_way(const Store<3>& store, Pair<3>& p, const Crossing<3>& now);
template void see_from_behind(const Store<2>& store, Pair<2>& p, const AnyPlace<2>& at_a,
                              const AnyPlace<2>& at_b, double margin, bool has_contacts);
template void see_from_behind(const Store<3>& store, Pair<3>& p, const AnyPlace<3>& at_a,
                              const AnyPlace<3>& at_b, double margin, bool has_contacts);
template void look_from_behind(const Store<2>& store, Pair<2>& p, const AnyPlace<2>& at_a,
                               const AnyPlace<2>& at_b, double margin,
                               std::vector<contact::Manifold<2>>& spare);
template void look_from_behind(const Store<3>& store, Pair<3>& p, const AnyPlace<3>& at_a,
                               const AnyPlace<3>& at_b, double margin,
                               std::vector<contact::Manifold<3>>& spare);
template void apply_one_way(const Store<2>& store, Pair<2>& p, Crossing<2> now,
                            std::vector<contact::Manifold<2>>& among);
template void apply_one_way(const Store<3>& store, Pair<3>& p, Crossing<3> now,
                            std::vector<contact::Manifold<3>>& among);

}  // namespace colvik::world
