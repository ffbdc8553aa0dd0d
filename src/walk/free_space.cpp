#include "walk/free_space.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "contact/collide.h"
#include "pairs/index.h"
#include "store/access.h"
#include "store/objects.h"

namespace colvik::world {

template <int D>
Error obstacle_error(const std::string& name, const std::string& other, const Answer<D>& what,
                     std::string accepted) {
  std::string at;
  for (int i = 0; i < D; ++i) at += fmt::format("{}{:.4g}", i > 0 ? ", " : "", what.point[i]);
  return {fmt::format("object '{}'", name),
          fmt::format("would be {:.3g} deep in '{}' at ({})", std::max(0.0, -what.at), other, at),
          std::move(accepted)};
}

template <int D>
std::optional<Answer<D>> deepest_overlap(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                                         const ObjectState<D>& o,
                                         const std::type_identity_t<Pose<D>>& pose,
                                         std::size_t collider,
                                         const std::type_identity_t<Shape<D>>* shape) {
  refresh_index(store, broad, walkers);
  std::optional<Answer<D>> worst;
  std::vector<contact::Manifold<D>> manifolds;
  for (std::size_t i = 0; i < o.shown.colliders.size(); ++i) {
    const ColliderDef<D>& own = o.shown.colliders[i].def;
    if (own.zone || !own.on) continue;
    const Shape<D>& mine = shape != nullptr && i == collider ? *shape : own.shape;
    const Pose<D> place = pose * Pose<D>{own.at, own.turned};
    const Bounds<D> box = bounds(mine, place);
    if (!box.lo.allFinite() || !box.hi.allFinite()) continue;
    Party self = party_of(store, o, i);
    self.active = true;
    if (self.body == BodyKind::fixed) self.body = BodyKind::kinematic;
    std::vector<std::uint32_t> found;
    for (const index::Tree<D>* tree : {&broad.still, &broad.moving})
      tree->overlaps(box, [&](std::uint32_t at) { found.push_back(at); });
    sort_by_age(store, found);
    for (const std::uint32_t at : found) {
      const ColliderState<D>& c = store.colliders[at];
      const ObjectState<D>& other = store.objects[c.object];
      if (other.root == o.root || is_excepted(store, o.shown.id.slot, c.object) || c.one_way)
        continue;
      const Verdict verdict = colvik::decide(self, party_of(store, other, c.which));
      if (!verdict.meet || verdict.channel != Channel::solid) continue;
      const Pose<D> there = pose_of(store, c);
      contact::collide(c.shape, mine, there.relative(place), 0, 0, manifolds);
      for (const contact::Manifold<D>& m : manifolds) {
        if (m.one_way != 0) continue;
        for (int k = 0; k < m.count; ++k) {
          const contact::ContactPoint<D>& p = m.points[static_cast<std::size_t>(k)];
          if (p.gap > -1e-6 * store.settings.metre || (worst && worst->at <= p.gap)) continue;
          worst = Answer<D>{
              other.shown.id, c.which, p.gap, there * p.position, there.rotation * m.normal, true};
        }
      }
    }
  }
  return worst;
}

template <int D>
std::optional<Vec<D>> free_place(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                                 const ObjectState<D>& o, const Vec<D>& near, double within) {
  const double hair = 1e-4 * store.settings.metre;
  // Pushed out of what it is deepest in, again and again.
  const auto free_from = [&](Vec<D> at) -> std::optional<Vec<D>> {
    for (int turn = 0; turn < 24; ++turn) {
      const auto worst =
          deepest_overlap(store, broad, walkers, o, {at, o.shown.pose.rotation}, 0, nullptr);
      if (!worst) return (at - near).norm() <= within + hair ? std::optional(at) : std::nullopt;
      at += worst->normal * (hair - worst->at);
    }
    return std::nullopt;
  };
  std::optional<Vec<D>> best;
  const auto take = [&](const std::optional<Vec<D>>& at) {
    if (at && (!best || (*at - near).norm() < (*best - near).norm())) best = at;
  };
  take(free_from(near));
  if (best && (*best - near).norm() <= hair) return best;
  constexpr int kRings = 8;
  constexpr int kDirections = 16;
  for (int ring = 1; ring <= kRings; ++ring) {
    const double far = within * ring / kRings;
    if (best && (*best - near).norm() <= far - within / kRings)
      break;  // no ring further out is nearer
    for (int k = 0; k < kDirections; ++k) {
      double sine = 0;
      double cosine = 1;
      sine_cosine(2 * kPi * k / kDirections, sine, cosine);
      if constexpr (D == 2) {
        take(free_from(near + far * Vec<2>(cosine, sine)));
      } else {
        for (const double rise : {0.0, 0.7071067811865475, -0.7071067811865475, 1.0, -1.0}) {
          const double flat = std::sqrt(1 - rise * rise);
          take(free_from(near + far * Vec<3>(cosine * flat, rise, sine * flat)));
        }
      }
    }
  }
  return best;
}

template std::optional<Answer<2>> deepest_overlap(Store<2>& store, BroadPhase<2>& broad,
                                                  Walkers<2>& walkers, const ObjectState<2>& o,
                                                  const Pose<2>& pose, std::size_t collider,
                                                  const Shape<2>* shape);
template std::optional<Answer<3>> deepest_overlap(Store<3>& store, BroadPhase<3>& broad,
                                                  Walkers<3>& walkers, const ObjectState<3>& o,
                                                  const Pose<3>& pose, std::size_t collider,
                                                  const Shape<3>* shape);
template Error obstacle_error(const std::string&, const std::string&, const Answer<2>&,
                              std::string);
template Error obstacle_error(const std::string&, const std::string&, const Answer<3>&,
                              std::string);
template std::optional<Vec<2>> free_place(Store<2>&, BroadPhase<2>&, Walkers<2>&,
                                          const ObjectState<2>&, const Vec<2>&, double);
template std::optional<Vec<3>> free_place(Store<3>&, BroadPhase<3>&, Walkers<3>&,
                                          const ObjectState<3>&, const Vec<3>&, double);

}  // namespace colvik::world
