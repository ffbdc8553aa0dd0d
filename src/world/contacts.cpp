// From pairs to contacts for the solver, and from what it did to what touches.
#include <algorithm>
#include <cmath>

#include "world/impl.h"

namespace colvik {

using world::Pair;

namespace {

template <int D>
Vec<D> velocity_at(const Object<D>& o, const Vec<D>& mass_centre, const Vec<D>& point) {
  return o.velocity + cross(o.spin, Vec<D>(point - o.pose * mass_centre));
}

// Half of a shape's size, as far as faces count as level; scenery has none.
template <int D>
double extent(const Shape<D>& s) {
  return is_scenery(s.kind) ? std::numeric_limits<double>::max() : s.core.norm() + s.radius;
}

}  // namespace

template <int D>
void World<D>::Impl::make_contacts() {
  const double dt = 1 / settings.rate, margin = world::kMargin * settings.metre;
  contacts.clear();
  contact_pairs.clear();
  for (std::size_t i = 0; i < pairs.size(); ++i) {
    Pair<D>& p = pairs[i];
    if (!p.responds) continue;
    const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
    const world::ObjectState<D>&oa = objects[ca.object], &ob = objects[cb.object];
    contacts_before.swap(p.contacts);  // memory goes round, so that a steady step takes none
    p.contacts.clear();
    // Shapes that may meet within this step are in contact already, across a gap, so that fast ones
    // do not pass through each other.
    const double closing = (oa.shown.velocity - ob.shown.velocity).norm() * dt + settings.gravity.norm() * dt * dt;
    const Shape<D>&shape_a = shape_of(ca), &shape_b = shape_of(cb);
    const double small = std::min(extent(shape_a), extent(shape_b));
    contact::collide(shape_a, shape_b, relative_pose(ca, cb), margin + closing, std::min(margin, 0.05 * small),
                     manifolds);
    hold_one_way(p);

    const Collider<D>&la = oa.shown.colliders[ca.which], &lb = ob.shown.colliders[cb.which];
    if (manifolds.empty()) continue;
    dynamics::Contact<D> c;
    c.a = oa.body, c.b = ob.body;
    c.friction = std::sqrt(la.def.friction * lb.def.friction);
    c.restitution = std::max(la.def.restitution, lb.def.restitution);
    // From collider a's frame to the world's, told from object a's position: exact far from the origin.
    const Pose<D> frame = Pose<D>{Vec<D>::Zero(), oa.shown.pose.rotation} * Pose<D>{la.def.at, la.def.turned};
    const Vec<D> to_a = oa.shown.pose.rotation * oa.mass_centre;
    const Vec<D> to_b = ob.shown.pose.position - oa.shown.pose.position + ob.shown.pose.rotation * ob.mass_centre;
    for (const contact::Manifold<D>& m : manifolds) {
      c.count = m.count;
      c.normal = frame.rotation * m.normal;
      for (int k = 0; k < m.count; ++k) {
        const contact::ContactPoint<D>& from = m.points[k];
        dynamics::SolverPoint<D>& to = c.points[k] = {};
        const Vec<D> offset = frame * from.position;
        to.arm_a = offset - to_a, to.arm_b = offset - to_b;
        to.gap = from.gap, to.id = from.id;
        for (const dynamics::Contact<D>& before : contacts_before)
          for (int j = 0; j < before.count; ++j)
            if (before.points[j].id == from.id) to.push = before.points[j].push, to.drag = before.points[j].drag;
      }
      contacts.push_back(c);
      contact_pairs.push_back(static_cast<std::uint32_t>(i));
    }
  }
}

// One-way surfaces hold what was clear of them when it came, and then until it leaves: the others are
// taken out of the manifolds at hand.
template <int D>
void World<D>::Impl::hold_one_way(Pair<D>& p) {
  const double clear = -2 * world::kTouching * settings.metre;
  std::vector<std::uint32_t> standing;
  std::erase_if(manifolds, [&](const contact::Manifold<D>& m) {
    if (m.one_way == 0) return false;
    double gap = m.points[0].gap;
    for (int k = 1; k < m.count; ++k) gap = std::min(gap, m.points[k].gap);
    const bool stood = std::find(p.standing.begin(), p.standing.end(), m.one_way) != p.standing.end();
    if (!stood && gap < clear) return true;
    standing.push_back(m.one_way);
    return false;
  });
  p.standing = std::move(standing);
}

template <int D>
void World<D>::Impl::read_contacts() {
  for (Pair<D>& p : pairs)
    if (p.responds) {
      p.approach = p.impulse = 0;
      p.gap = std::numeric_limits<double>::max();
    }
  for (std::size_t i = 0; i < contacts.size(); ++i) {
    const dynamics::Contact<D>& c = contacts[i];
    Pair<D>& p = pairs[contact_pairs[i]];
    p.contacts.push_back(c);
    const dynamics::SolverPoint<D>* deepest = nullptr;
    for (int k = 0; k < c.count; ++k) {
      const dynamics::SolverPoint<D>& point = c.points[k];
      p.impulse += point.total_push;
      p.approach = std::max(p.approach, point.approach);
      if (point.gap_after < p.gap) p.gap = point.gap_after, deepest = &point;
    }
    if (deepest == nullptr) continue;
    // Halfway between the two surface points, each carried along by its body.
    const auto centre_after = [&](std::uint32_t collider, std::uint32_t body) -> Vec<D> {
      const world::ObjectState<D>& o = objects[colliders[collider].object];
      return body == world::kNoBody ? Vec<D>(o.shown.pose * o.mass_centre) : bodies[body].centre;
    };
    p.normal = c.normal;
    p.point = 0.5 * (centre_after(p.a, c.a) + deepest->arm_a + centre_after(p.b, c.b) + deepest->arm_b);
  }
  for (Pair<D>& p : pairs) {
    if (!p.responds) continue;
    const double reach = (p.touching ? world::kLetGo : world::kTouching) * settings.metre;
    p.touching = p.impulse > 0 || p.gap <= reach;
  }
}

template <int D>
void World<D>::Impl::feel_the_rest() {
  for (Pair<D>& p : pairs) {
    if (p.responds) continue;
    const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
    const double reach =
        p.channel == Channel::zone ? 0 : (p.touching ? world::kLetGo : world::kTouching) * settings.metre;
    const contact::Separation<D> s = contact::nearest(shape_of(ca), shape_of(cb), relative_pose(ca, cb), reach);
    p.touching = s.gap <= reach;
    p.gap = s.gap;
    if (!p.touching) continue;
    const Pose<D> frame = pose_of(ca);
    p.normal = frame.rotation * s.normal;
    p.point = frame * Vec<D>(0.5 * (s.on_a + s.on_b));
    const world::ObjectState<D>&oa = objects[ca.object], &ob = objects[cb.object];
    const Vec<D> apart =
        velocity_at(ob.shown, ob.mass_centre, p.point) - velocity_at(oa.shown, oa.mass_centre, p.point);
    p.approach = std::max(0.0, -p.normal.dot(apart));  // in this order -0 becomes 0
    p.impulse = 0;
  }
}

template struct World<2>::Impl;
template struct World<3>::Impl;

}  // namespace colvik
