// From pairs to contacts for the solver, and from what it did to what touches.
#include <algorithm>
#include <cmath>

#include "contact/distance.h"
#include "world/impl.h"

namespace colvik {

using world::Pair;

namespace {

template <int D>
Vec<D> velocity_at(const Object<D>& o, const Vec<D>& mass_centre, const Vec<D>& point) {
  return o.velocity + cross(o.spin, Vec<D>(point - o.pose * mass_centre));
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
    const dynamics::Contact<D> last = p.contact;
    p.contact.count = 0;
    // Shapes that may meet within this step are in contact already, across a gap, so that fast ones
    // do not pass through each other.
    const double closing = (oa.shown.velocity - ob.shown.velocity).norm() * dt + settings.gravity.norm() * dt * dt;
    const Shape<D>&shape_a = shape_of(ca), &shape_b = shape_of(cb);
    const double small = std::min(shape_a.core.norm() + shape_a.radius, shape_b.core.norm() + shape_b.radius);
    const contact::Manifold<D> m =
        contact::manifold(shape_a, shape_b, relative_pose(ca, cb), margin + closing, std::min(margin, 0.05 * small));
    if (m.count == 0) continue;

    const Collider<D>&la = oa.shown.colliders[ca.which], &lb = ob.shown.colliders[cb.which];
    dynamics::Contact<D> c;
    c.a = oa.body, c.b = ob.body;
    c.friction = std::sqrt(la.def.friction * lb.def.friction);
    c.restitution = std::max(la.def.restitution, lb.def.restitution);
    c.count = m.count;
    // From collider a's frame to the world's, told from object a's position: exact far from the origin.
    const Pose<D> frame = Pose<D>{Vec<D>::Zero(), oa.shown.pose.rotation} * Pose<D>{la.def.at, la.def.turned};
    c.normal = frame.rotation * m.normal;
    const Vec<D> to_a = oa.shown.pose.rotation * oa.mass_centre;
    const Vec<D> to_b = ob.shown.pose.position - oa.shown.pose.position + ob.shown.pose.rotation * ob.mass_centre;
    for (int k = 0; k < m.count; ++k) {
      const contact::ContactPoint<D>& from = m.points[k];
      dynamics::SolverPoint<D>& to = c.points[k];
      const Vec<D> offset = frame * from.position;
      to.arm_a = offset - to_a, to.arm_b = offset - to_b;
      to.gap = from.gap, to.id = from.id;
      for (int j = 0; j < last.count; ++j)
        if (last.points[j].id == from.id) to.push = last.points[j].push, to.drag = last.points[j].drag;
    }
    contacts.push_back(c);
    contact_pairs.push_back(static_cast<std::uint32_t>(i));
  }
}

template <int D>
void World<D>::Impl::read_contacts() {
  for (Pair<D>& p : pairs)
    if (p.responds && p.contact.count == 0) p.touching = false;
  for (std::size_t i = 0; i < contacts.size(); ++i) {
    const dynamics::Contact<D>& c = contacts[i];
    Pair<D>& p = pairs[contact_pairs[i]];
    p.contact = c;
    p.approach = p.impulse = 0;
    p.gap = std::numeric_limits<double>::max();
    const dynamics::SolverPoint<D>* deepest = &c.points[0];
    for (int k = 0; k < c.count; ++k) {
      const dynamics::SolverPoint<D>& point = c.points[k];
      p.impulse += point.total_push;
      p.approach = std::max(p.approach, point.approach);
      if (point.gap_after < p.gap) p.gap = point.gap_after, deepest = &point;
    }
    const double reach = (p.touching ? world::kLetGo : world::kTouching) * settings.metre;
    p.touching = p.impulse > 0 || p.gap <= reach;
    // Halfway between the two surface points, each carried along by its body.
    const auto centre_after = [&](std::uint32_t collider, std::uint32_t body) -> Vec<D> {
      const world::ObjectState<D>& o = objects[colliders[collider].object];
      return body == world::kNoBody ? Vec<D>(o.shown.pose * o.mass_centre) : bodies[body].centre;
    };
    p.normal = c.normal;
    p.point = 0.5 * (centre_after(p.a, c.a) + deepest->arm_a + centre_after(p.b, c.b) + deepest->arm_b);
  }
}

template <int D>
void World<D>::Impl::feel_the_rest() {
  for (Pair<D>& p : pairs) {
    if (p.responds) continue;
    const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
    const contact::Separation<D> s = contact::separation(shape_of(ca), shape_of(cb), relative_pose(ca, cb));
    const double reach =
        p.channel == Channel::zone ? 0 : (p.touching ? world::kLetGo : world::kTouching) * settings.metre;
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
