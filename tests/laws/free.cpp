// Bodies that touch nothing, or only with their tip.
#include "laws.hpp"

namespace colvik::laws {
namespace {

template <int D>
void parabola() {
  for (const double rate : {60.0, 15.0}) {
    WorldSettings<D> s = awake<D>();
    s.rate = rate;
    World<D> world(s);
    const Vec<D> velocity = Vec<D>::Constant(7) + up<D>(20);
    const ObjectId id =
        put<D>(world, "stone", BodyKind::dynamic, kZero, solid(ball<D>(0.2)), velocity);
    run(world, 10);
    const Vec<D> wanted = velocity * 10 + s.gravity * 50;
    const double off = (world.object(id).pose.position - wanted).norm();
    record(fmt::format("parabola of 10 s at {} steps a second", rate), D, wanted.norm(),
           wanted.norm() + off, rate == 60 ? 2e-5 : 1e-4);
  }
}
COLVIK_LAW("free", parabola);

template <int D>
void terminal_speed() {
  World<D> world(awake<D>());
  ObjectDef<D> def = thing<D>("leaf", BodyKind::dynamic, kZero, {solid(ball<D>(0.2))});
  def.drag = 2;
  def.spin_drag = 0.5;
  def.spin = Spin<D>::Constant(3);
  const ObjectId id = world.add(def).value();
  run(world, 1);
  const double wanted = kG / 2 * (1 - std::exp(-2.0));
  const double spin = 3 * std::exp(-0.5);
  record("speed after 1 s of fall with drag", D, wanted, -world.object(id).velocity[1], 1e-4);
  record("spin after 1 s of drag", D, spin, spin_about_z(world.object(id)), 1e-3);
  run(world, 9);
  record("terminal speed", D, kG / 2, -world.object(id).velocity[1], 1e-4);
}
COLVIK_LAW("free", terminal_speed);

// Arithmetic-geometric mean: K(k) = pi / (2 agm(1, sqrt(1 - k^2))).
double complete_elliptic(double k2) {
  double a = 1;
  double b = std::sqrt(1 - k2);
  for (int i = 0; i < 40; ++i) {
    const double next = (a + b) / 2;
    b = std::sqrt(a * b);
    a = next;
  }
  return kPi / (2 * a);
}

// Landau and Lifshitz, "Mechanics", section 37.
void spin_about_the_middle_axis() {
  WorldSettings<3> s;
  World<3> world(s);
  ObjectDef<3> def = thing<3>("book", BodyKind::dynamic, kZero, {solid(box(3, 2, 1))});
  def.spin = Vec<3>(0.05, 5, 0.05);
  const ObjectId id = world.add(def).value();
  const double mass = 6;
  const double ix = mass * (4 + 1) / 12;
  const double iy = mass * (9 + 1) / 12;
  const double iz = mass * (9 + 4) / 12;
  const auto momentum_and_energy = [&](const Object<3>& o) {
    const Vec<3> w = o.pose.rotation.inverse() * o.spin;
    const Vec<3> l(ix * w.x(), iy * w.y(), iz * w.z());
    return std::pair(Vec<3>(o.pose.rotation * l), w.dot(l) / 2);
  };
  const auto [l, e] = momentum_and_energy(world.object(id));
  double i1 = ix;
  double i3 = iz;  // least and greatest
  const double l2 = l.squaredNorm();
  if (l2 < 2 * e * iy) std::swap(i1, i3);
  const double k2 = (iy - i1) * (2 * e * i3 - l2) / ((i3 - iy) * (l2 - 2 * e * i1));
  const double period =
      4 * complete_elliptic(k2) * std::sqrt(i1 * iy * i3 / ((i3 - iy) * (l2 - 2 * e * i1)));
  std::vector<double> crossings;  // of the middle component, upwards
  double before = 0;
  double worst_energy = 0;
  for (int i = 0; i < 60 * 60; ++i) {
    world.step();
    const Object<3>& o = world.object(id);
    const double now = (o.pose.rotation.inverse() * o.spin).y();
    if (i > 0 && before < 0 && now >= 0)
      crossings.push_back(world.time() - now / (now - before) / 60);
    before = now;
    worst_energy = std::max(worst_energy, std::abs(momentum_and_energy(o).second - e));
  }
  const double mean =
      (crossings.back() - crossings.front()) / static_cast<double>(crossings.size() - 1);
  record("spin about the middle axis: period of its flips", 3, period, mean, 0.01);
  record("spin about the middle axis: energy over 60 s", 3, e, e + worst_energy, 0.01);
  record("spin about the middle axis: angular momentum after 60 s", 3, l.norm(),
         l.norm() + (momentum_and_energy(world.object(id)).first - l).norm(), 1e-9);
}
COLVIK_LAW_3D("free", spin_about_the_middle_axis);

// A top whose tip slides freely turns about its centre of mass (Goldstein, "Classical mechanics",
// section 5.7): the slow root of  (I1 - I3) cos(a) p^2 - I3 w p + m g l = 0.
void top() {
  WorldSettings<3> s = awake<3>();
  World<3> world(s);
  floor_under<3>(world, 0);
  const double mass = 1;
  const double lever = 0.5;
  const double i3 = 0.02;
  const double i1 = 0.01;
  const double lean = 0.3;
  const double w = 200;
  ObjectDef<3> def = thing<3>("top", BodyKind::dynamic, up<3>(0.01), {rough<3>(ball<3>(0.02), 0)});
  def.mass = mass;
  def.mass_centre = up<3>(lever);
  def.inertia = Vec<3>(i1, i3, i1);
  def.turned = Rotation<3>(Vec<3>::Unit(2), -lean);
  const Vec<3> axis = def.turned * Vec<3>(Vec<3>::Unit(1));
  const double c = (i1 - i3) * std::cos(lean);
  const double rate = (i3 * w - std::sqrt(i3 * i3 * w * w - 4 * c * mass * kG * lever)) / (2 * c);
  def.spin = axis * (w - rate * std::cos(lean)) + Vec<3>(0, rate, 0);
  const ObjectId id = world.add(def).value();
  double turned = 0;
  double before = std::atan2(axis.z(), axis.x());
  for (int i = 0; i < 600; ++i) {
    world.step();
    const Vec<3> now = world.object(id).pose.rotation.axis(1);
    const double angle = std::atan2(now.z(), now.x());
    turned += std::remainder(angle - before, 2 * kPi);
    before = angle;
  }
  record("slow precession of a spinning top, 10 s", 3, rate, std::abs(turned) / 10, 0.02);
}
COLVIK_LAW_3D("free", top);

}  // namespace
}  // namespace colvik::laws
