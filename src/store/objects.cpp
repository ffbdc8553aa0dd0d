#include "store/objects.h"

#include "store/access.h"

namespace colvik::world {

namespace {

// How far a turn from one to the other takes a point at distance 1, at most.
double chord(const Rotation<2>& from, const Rotation<2>& to) {
  const double c = to.cosine() - from.cosine();
  const double s = to.sine() - from.sine();
  return std::sqrt(c * c + s * s);
}
double chord(const Rotation<3>& from, const Rotation<3>& to) {
  const auto far = [&](double sign) {
    const double w = to.w() - sign * from.w();
    const double x = to.x() - sign * from.x();
    const double y = to.y() - sign * from.y();
    const double z = to.z() - sign * from.z();
    return w * w + x * x + y * y + z * z;
  };
  return 2 * std::sqrt(std::min(far(1),
                                far(-1)));  // half the angle, of which the chord is the double sine
}

}  // namespace

template <int D>
ObjectState<D>* find_state(Store<D>& store, ObjectId id) {
  if (id.slot >= store.objects.size()) return nullptr;
  ObjectState<D>& o = store.objects[id.slot];
  return o.life == Life::live && o.generation == id.generation ? &o : nullptr;
}

template <int D>
std::vector<Number>* numbers_of(Store<D>& store, NumberOwner whose) {
  if (!whose.object) return &store.numbers;
  ObjectState<D>* o = find_state(store, *whose.object);
  return o != nullptr ? &o->shown.numbers : nullptr;
}

template <int D>
Party party_of(const Store<D>& store, const ObjectState<D>& o, std::size_t collider) {
  const Collider<D>& c = o.shown.colliders[collider];
  return {c.tags,           c.meets,  o.shown.body,   c.def.zone,
          o.shown.active,   c.def.on, o.shown.serial, store.objects[o.root].shown.serial,
          o.meets_relatives};
}

template <int D>
bool is_excepted(const Store<D>& store, std::uint32_t a, std::uint32_t b) {
  std::uint64_t x = store.objects[a].shown.serial;
  std::uint64_t y = store.objects[b].shown.serial;
  if (x > y) std::swap(x, y);
  const auto at =
      std::lower_bound(store.excepted.begin(), store.excepted.end(), std::pair(x, y),
                       [](const Excepted& e, const std::pair<std::uint64_t, std::uint64_t>& key) {
                         return std::pair(e.serial_a, e.serial_b) < key;
                       });
  return at != store.excepted.end() && at->serial_a == x && at->serial_b == y;
}

template <int D>
bool may_ride(Store<D>& store, const ObjectState<D>& child, const ObjectState<D>& parent) {
  if (store.objects[parent.root].shown.body != BodyKind::dynamic) return true;
  bool good = true;
  for_family(store, store.objects[child.shown.id.slot], [&](const ObjectState<D>& o) {
    for (const Collider<D>& c : o.shown.colliders)
      good = good && (c.def.zone || !is_scenery(c.def.shape.kind));
  });
  return good;
}

template <int D>
void move_object(Store<D>& store, ObjectState<D>& o, const AnyPlace<D>& at) {
  Brief<D>& brief = store.briefs[o.shown.id.slot];
  const Vec<D>& centre = o.shown.mass_centre;
  const double turn = chord(o.shown.pose.rotation, at.rotation);
  const Vec<D> path =
      o.place().offset_to(at) + (at.rotation * centre - o.shown.pose.rotation * centre);
  brief.travelled += path;
  brief.turned += o.turning_radius * turn;
  if (o.body != kNoBody) brief.distance += path.norm() + (o.turning_radius + centre.norm()) * turn;
  o.shown.pose = at;
  o.rest = at.rest;
}

template ObjectState<2>* find_state(Store<2>& store, ObjectId id);
template ObjectState<3>* find_state(Store<3>& store, ObjectId id);
template std::vector<Number>* numbers_of(Store<2>& store, NumberOwner whose);
template std::vector<Number>* numbers_of(Store<3>& store, NumberOwner whose);
template Party party_of(const Store<2>& store, const ObjectState<2>& o, std::size_t collider);
template Party party_of(const Store<3>& store, const ObjectState<3>& o, std::size_t collider);
template bool is_excepted(const Store<2>& store, std::uint32_t a, std::uint32_t b);
template bool is_excepted(const Store<3>& store, std::uint32_t a, std::uint32_t b);
template bool may_ride(Store<2>& store, const ObjectState<2>& child, const ObjectState<2>& parent);
template bool may_ride(Store<3>& store, const ObjectState<3>& child, const ObjectState<3>& parent);
template void move_object(Store<2>& store, ObjectState<2>& o, const Place<2>& at);
template void move_object(Store<3>& store, ObjectState<3>& o, const Place<3>& at);

}  // namespace colvik::world
