// Is there room? Sizes and places that are refused where they do not fit.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "world/checks.h"
#include "world/impl.h"

namespace colvik {

using world::ColliderState;
using world::ObjectState;

namespace {

template <int D>
Error in_the_way(const std::string& name, const std::string& other, const Answer<D>& what, std::string accepted) {
  std::string at;
  for (int i = 0; i < D; ++i) at += fmt::format("{}{:.4g}", i > 0 ? ", " : "", what.point[i]);
  return {fmt::format("object '{}'", name),
          fmt::format("would be {:.3g} deep in '{}' at ({})", std::max(0.0, -what.at), other, at), std::move(accepted)};
}

}  // namespace

// What one of the object's solids would be deepest in with the object somewhere else, and which way leads out. A
// collider may be given another shape.
template <int D>
std::optional<Answer<D>> World<D>::Impl::deepest_in(const ObjectState<D>& o, const Pose<D>& pose, std::size_t collider,
                                                    const Shape<D>* shape) {
  bring_up_to_date();
  std::optional<Answer<D>> worst;
  for (std::size_t i = 0; i < o.shown.colliders.size(); ++i) {
    const ColliderDef<D>& own = o.shown.colliders[i].def;
    if (own.zone || !own.on) continue;
    const Shape<D>& mine = shape != nullptr && i == collider ? *shape : own.shape;
    const Pose<D> place = pose * Pose<D>{own.at, own.turned};
    const Bounds<D> box = bounds(mine, place);
    if (!box.lo.allFinite() || !box.hi.allFinite()) continue;
    Party self = party(o, i);
    self.active = true;
    if (self.body == BodyKind::fixed) self.body = BodyKind::kinematic;
    std::vector<std::uint32_t> found;
    for (const index::Tree<D>* tree : {&still, &moving})
      tree->overlaps(box, [&](std::uint32_t at) { found.push_back(at); });
    std::sort(found.begin(), found.end(),
              [&](std::uint32_t x, std::uint32_t y) { return colliders[x].serial < colliders[y].serial; });
    for (const std::uint32_t at : found) {
      const ColliderState<D>& c = colliders[at];
      const ObjectState<D>& other = objects[c.object];
      if (other.root == o.root || is_excepted(o.shown.id.slot, c.object) || c.one_way) continue;
      const Verdict verdict = colvik::decide(self, party(other, c.which));
      if (!verdict.meet || verdict.channel != Channel::solid) continue;
      const Pose<D> there = pose_of(c);
      contact::collide(shape_of(c), mine, there.relative(place), 0, 0, manifolds);
      for (const contact::Manifold<D>& m : manifolds) {
        if (m.one_way != 0) continue;
        for (int k = 0; k < m.count; ++k) {
          const contact::ContactPoint<D>& p = m.points[static_cast<std::size_t>(k)];
          if (p.gap > -1e-6 * settings.metre || (worst && worst->at <= p.gap)) continue;
          worst = Answer<D>{other.shown.id, c.which, p.gap, there * p.position, there.rotation * m.normal, true};
        }
      }
    }
  }
  return worst;
}

template <int D>
std::optional<Answer<D>> World<D>::deepest(ObjectId id, const Vec<D>& at) const {
  const ObjectState<D>* o = impl_->state(id);
  if (o == nullptr || !world::within(at, world::kFurthest * impl_->settings.metre)) return std::nullopt;
  return impl_->deepest_in(*o, {at, o->shown.pose.rotation}, 0, nullptr);
}

template <int D>
Result<void> World<D>::fit_shape(ObjectId id, std::size_t collider, const Shape<D>& shape,
                                 const std::optional<Vec<D>>& at) {
  const ObjectState<D>* o = impl_->state(id);
  if (o == nullptr || collider >= o->shown.colliders.size())
    return Error{"shape", "its collider is not there", "a live object's collider"};
  if (auto good = check_shape(shape, impl_->settings.metre); !good) return good;
  const Pose<D> pose{at ? *at : o->shown.pose.position, o->shown.pose.rotation};
  if (const auto worst = impl_->deepest_in(*o, pose, collider, &shape))
    return in_the_way(o->shown.name, object(worst->object).name, *worst, "a shape that fits");
  if (auto good = set_shape(id, collider, shape); !good) return good;
  if (at) place(id, pose);
  return {};
}

template <int D>
std::optional<Vec<D>> World<D>::free_place(ObjectId id, const Vec<D>& near, double within) const {
  const ObjectState<D>* o = impl_->state(id);
  if (o == nullptr || !world::within(near, world::kFurthest * impl_->settings.metre) || !(within >= 0))
    return std::nullopt;
  const double hair = 1e-4 * impl_->settings.metre;
  // Pushed out of what it is deepest in, again and again.
  const auto free_from = [&](Vec<D> at) -> std::optional<Vec<D>> {
    for (int turn = 0; turn < 24; ++turn) {
      const auto worst = impl_->deepest_in(*o, {at, o->shown.pose.rotation}, 0, nullptr);
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
  constexpr int kRings = 8, kDirections = 16;
  for (int ring = 1; ring <= kRings; ++ring) {
    const double far = within * ring / kRings;
    if (best && (*best - near).norm() <= far - within / kRings) break;  // no ring further out is nearer
    for (int k = 0; k < kDirections; ++k) {
      double sine = 0, cosine = 1;
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

template <int D>
Result<void> World<D>::hop(ObjectId id, const Vec<D>& by) {
  Change<D> change;
  change.move = by;
  Result<std::vector<WouldTouch<D>>> touched = would_touch(id, change);
  if (!touched) return touched.error();
  const ObjectState<D>& o = *impl_->state(id);
  for (const WouldTouch<D>& t : touched.value()) {
    if (t.verdict.channel != Channel::solid || t.normal.dot(by) >= 0) continue;  // what it leaves is not in its way
    Answer<D> what{t.object, t.collider, 0, t.point, t.normal, t.inside};
    Error error = in_the_way(o.shown.name, object(t.object).name, what, "a way that is free");
    error.what = fmt::format("is stopped by '{}' after {:.3g} of the way", object(t.object).name, t.at);
    return error;
  }
  if (!place(id, {o.shown.pose.position + by, o.shown.pose.rotation}))
    return Error{"place", "is out of range", "finite positions up to 1e9 metres"};
  return {};
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template std::optional<Answer<2>> World<2>::deepest(ObjectId, const Vec<2>&) const;
template std::optional<Answer<3>> World<3>::deepest(ObjectId, const Vec<3>&) const;
template Result<void> World<2>::fit_shape(ObjectId, std::size_t, const Shape<2>&, const std::optional<Vec<2>>&);
template Result<void> World<3>::fit_shape(ObjectId, std::size_t, const Shape<3>&, const std::optional<Vec<3>>&);
template std::optional<Vec<2>> World<2>::free_place(ObjectId, const Vec<2>&, double) const;
template std::optional<Vec<3>> World<3>::free_place(ObjectId, const Vec<3>&, double) const;
template Result<void> World<2>::hop(ObjectId, const Vec<2>&);
template Result<void> World<3>::hop(ObjectId, const Vec<3>&);

}  // namespace colvik
