#include "pairs/one_way.h"

#include <algorithm>

#include "pairs/access.h"
#include "pairs/extent.h"

namespace colvik::world {

template <int D>
bool is_clear_of_one_way(const Store<D>& store, const Pair<D>& p, const AnyPlace<D>& at_a,
                         const AnyPlace<D>& at_b) {
  const double slack = 2 * kTouching * store.settings.metre;
  const auto clear = [&](const ColliderState<D>& surface, const Place<D>& at,
                         const ColliderState<D>& other, const Place<D>& other_at) {
    if (!surface.one_way) return true;
    const ColliderDef<D>& ds = definition_of(store, surface);
    // In the surface's own frame, so that it does not matter how far from the origin they are.
    const Pose<D> it = relative_pose(surface, at, other, other_at);
    const Vec<D> open = ds.one_way.normalized();
    return extent_along<D>(other.shape, it, open).first >=
           extent_along<D>(ds.shape, Pose<D>{}, open).second - slack;
  };
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  return clear(ca, at_a, cb, at_b) && clear(cb, at_b, ca, at_a);
}

template <int D>
void apply_one_way(const Store<D>& store, Pair<D>& p, const Place<D>& at_a, const Place<D>& at_b,
                   std::vector<contact::Manifold<D>>& among) {
  const double clear = -2 * kTouching * store.settings.metre;
  if (p.ignored && among.empty()) p.ignored = false;
  if (has_one_way(store, p)) {
    const bool held = !p.ignored && !among.empty() &&
                      (!p.standing.empty() || is_clear_of_one_way(store, p, at_a, at_b));
    if (!held) among.clear();
    p.standing.assign(held ? 1 : 0, 1U);
    return;
  }
  std::vector<std::uint32_t> standing;
  std::erase_if(among, [&](const contact::Manifold<D>& m) {
    if (m.one_way == 0) return false;
    const double gap = m.least_gap(m.points[0].gap);
    const bool stood =
        std::find(p.standing.begin(), p.standing.end(), m.one_way) != p.standing.end();
    if (p.ignored || (!stood && gap < clear)) return true;
    standing.push_back(m.one_way);
    return false;
  });
  p.standing = std::move(standing);
}

template bool is_clear_of_one_way(const Store<2>& store, const Pair<2>& p, const Place<2>& at_a,
                                  const Place<2>& at_b);
template bool is_clear_of_one_way(const Store<3>& store, const Pair<3>& p, const Place<3>& at_a,
                                  const Place<3>& at_b);
template void apply_one_way(const Store<2>& store, Pair<2>& p, const Place<2>& at_a,
                            const Place<2>& at_b, std::vector<contact::Manifold<2>>& among);
template void apply_one_way(const Store<3>& store, Pair<3>& p, const Place<3>& at_a,
                            const Place<3>& at_b, std::vector<contact::Manifold<3>>& among);

}  // namespace colvik::world
