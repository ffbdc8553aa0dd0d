// Questions to a world.
#include <fmt/format.h>

#include <algorithm>

#include "contact/cast.h"
#include "shapes/assembly.h"
#include "world/checks.h"
#include "world/impl.h"

namespace colvik {

using world::ColliderState;

namespace {

constexpr double kFurthest = 1e15;  // nothing is further away

template <int D>
struct Asked {
  Shape<D> shape{};  // a point is a ball without a size
  contact::Course<D> course{};
  double within = 0;
  bool moves = false;
};

template <int D>
Asked<D> posed(const Question<D>& question) {
  Asked<D> a;
  if (const auto* ray = std::get_if<RayCast<D>>(&question)) {
    a.course.start.position = ray->from, a.course.move = ray->way, a.moves = true;
  } else if (const auto* cast = std::get_if<ShapeCast<D>>(&question)) {
    a.shape = cast->shape, a.course = {cast->start, cast->way, cast->turn}, a.moves = true;
  } else if (const auto* overlap = std::get_if<OverlapWith<D>>(&question)) {
    a.shape = overlap->shape, a.course.start = overlap->pose;
  } else if (const auto* point = std::get_if<AtPoint<D>>(&question)) {
    a.course.start.position = point->point;
  } else {
    const Near<D>& near = std::get<Near<D>>(question);
    a.course.start.position = near.point, a.within = std::min(std::max(0.0, near.within), kFurthest);
  }
  return a;
}

// Where it is before it moves, however it turns.
template <int D>
Bounds<D> start_of(const Asked<D>& a) {
  return contact::bounds_on_course(a.shape, a.course).grown(a.within);
}

template <int D>
bool has_end(const Asked<D>& a) {
  const Bounds<D> way = start_of(a).swept(a.course.move);
  return way.lo.allFinite() && way.hi.allFinite();
}

// What comes first of all that is told, by how far away it is; of equals the oldest.
template <int D>
struct Nearest {
  double most = 1;
  std::optional<Answer<D>> best{};
  std::uint64_t age = 0;

  [[nodiscard]] double limit() const { return best ? best->at : most; }
  void take(const std::optional<Answer<D>>& answer, const ColliderState<D>& c) {
    if (answer && (!best || std::pair(answer->at, c.serial) < std::pair(best->at, age))) best = answer, age = c.serial;
  }
};

template <int D>
contact::Course<D> course_in(const Pose<D>& place, const contact::Course<D>& course) {
  const Rotation<D> back = place.rotation.inverse();
  contact::Course<D> out{place.relative(course.start), back * course.move, course.turn};
  if constexpr (D == 3) out.turn = back * course.turn;
  return out;
}

template <int D>
std::optional<Answer<D>> answer_of(const std::optional<contact::Impact<D>>& hit, const Pose<D>& place) {
  if (!hit) return std::nullopt;
  Answer<D> out;
  out.at = hit->t, out.inside = hit->inside;
  out.point = place * hit->point, out.normal = place.rotation * hit->normal;
  return out;
}

// How the asker meets one collider at `place`, if it does; on its way no later than `limit`.
template <int D>
std::optional<Answer<D>> meet(const Asked<D>& a, bool near, const Shape<D>& shape, const Pose<D>& place, double limit) {
  if (a.moves) return answer_of(contact::first_touch(shape, a.shape, course_in(place, a.course), limit), place);
  const Pose<D> in_its_frame = place.relative(a.course.start);
  Answer<D> out;
  const contact::Separation<D> s = contact::nearest(shape, a.shape, in_its_frame, a.within);
  if (s.gap > a.within) return std::nullopt;
  // On the surface itself without an inside: a point is in no segment.
  out.inside = s.gap < 0 || (s.gap <= 0 && !near);
  out.at = near ? std::max(0.0, s.gap) : std::min(0.0, s.gap);
  out.point = place * Vec<D>(near ? s.on_a : Vec<D>(0.5 * (s.on_a + s.on_b)));
  out.normal = place.rotation * s.normal;
  return out;
}

}  // namespace

// All whose bounds it meets on its way, in any order; `visit` returns whether to go on.
template <int D>
template <class Asked, class Visit>
void World<D>::Impl::near(const Asked& a, Visit&& visit) {
  bring_up_to_date();
  if (!has_end(a)) return;
  const Bounds<D> start = start_of(a);
  bool on = true;
  for (const index::Tree<D>* tree : {&still, &moving})
    if (on)
      tree->along(start.centre(), a.course.move, start.size() / 2, 1, [&](std::uint32_t at) {
        on = on && visit(at);
        return on ? 1.0 : -1.0;
      });
}

// The same, the oldest first.
template <int D>
template <class Asked, class Visit>
void World<D>::Impl::near_by_age(const Asked& a, Visit&& visit) {
  std::vector<std::uint32_t> found;
  near(a, [&](std::uint32_t at) {
    found.push_back(at);
    return true;
  });
  std::sort(found.begin(), found.end(),
            [&](std::uint32_t x, std::uint32_t y) { return colliders[x].serial < colliders[y].serial; });
  for (const std::uint32_t at : found)
    if (!visit(colliders[at])) return;
}

template <int D>
bool World<D>::Impl::asks_for(const Look<D>& look, const ColliderState<D>& c) const {
  const Object<D>& o = objects[c.object].shown;
  return (c.zone ? look.zones : look.solids) && look.who.matches(o.colliders[c.which].tags) &&
         !(look.except && *look.except == o.id);
}

template <int D>
template <class Asked>
std::optional<Answer<D>> World<D>::Impl::met(const Asked& a, const Look<D>& look, const ColliderState<D>& c, bool near,
                                             double limit) {
  if (!asks_for(look, c)) return std::nullopt;
  std::optional<Answer<D>> answer = meet(a, near, shape_of(c), pose_of(c), limit);
  if (answer) answer->object = objects[c.object].shown.id, answer->collider = c.which;
  return answer;
}

template <int D>
std::optional<Answer<D>> World<D>::Impl::first(const Question<D>& question, const Look<D>& look) {
  Asked<D> a = posed(question);
  const bool near_point = std::holds_alternative<Near<D>>(question);
  if (look.take || !(a.moves || near_point)) {
    const std::vector<Answer<D>> found = ask(question, look, world::Wanted::first);
    return found.empty() ? std::nullopt : std::optional(found.front());
  }
  // It is looked for from the start of the way on, or from the point.
  bring_up_to_date();
  if (!has_end(a)) return std::nullopt;
  Nearest<D> nearest{near_point ? a.within : 1};
  const auto visit = [&](std::uint32_t at) {
    if (near_point) a.within = nearest.limit();
    nearest.take(met(a, look, colliders[at], near_point, nearest.limit()), colliders[at]);
    return nearest.limit();
  };
  const Bounds<D> start = contact::bounds_on_course(a.shape, a.course);
  for (const index::Tree<D>* tree : {&still, &moving})
    if (near_point) tree->outward(start, nearest.limit(), visit);
    else
      tree->along(start.centre(), a.course.move, start.size() / 2, nearest.limit(), visit,
                  index::Ahead{colliders.data(), sizeof(ColliderState<D>)});
  return nearest.best;
}

template <int D>
bool World<D>::Impl::any(const Question<D>& question, const Look<D>& look) {
  if (look.take) return !ask(question, look, world::Wanted::any).empty();
  const Asked<D> a = posed(question);
  bool found = false;
  near(a, [&](std::uint32_t at) {
    found = met(a, look, colliders[at], std::holds_alternative<Near<D>>(question), 1).has_value();
    return !found;
  });
  return found;
}

template <int D>
std::vector<Answer<D>> World<D>::Impl::ask(const Question<D>& question, const Look<D>& look, world::Wanted wanted) {
  using world::Wanted;
  const Asked<D> a = posed(question);
  const bool near_point = std::holds_alternative<Near<D>>(question);
  const bool in_order = wanted == Wanted::first || wanted == Wanted::all;
  std::vector<Answer<D>> found;
  near_by_age(a, [&](const ColliderState<D>& c) {
    const std::optional<Answer<D>> answer = met(a, look, c, near_point, 1);
    if (!answer) return true;
    if (in_order) {
      found.push_back(*answer);
      return true;
    }
    const Take take = look.take ? look.take(*answer) : Take::yes;
    if (take != Take::no) found.push_back(*answer);
    return take != Take::last && wanted != Wanted::any;
  });
  if (!in_order) return found;
  // Found in order of age; so are equals left.
  std::stable_sort(found.begin(), found.end(), [](const Answer<D>& x, const Answer<D>& y) { return x.at < y.at; });
  std::vector<Answer<D>> out;
  for (const Answer<D>& answer : found) {
    const Take take = look.take ? look.take(answer) : Take::yes;
    if (take != Take::no) out.push_back(answer);
    if (take == Take::last || (wanted == Wanted::first && !out.empty())) break;
  }
  return out;
}

// The rays go through the world together; those that meet scenery of many pieces are looked at then, again together.
template <int D>
void World<D>::Impl::first_of_each(std::span<const RayCast<D>> rays, const Look<D>& look,
                                   std::span<std::optional<Answer<D>>> out) {
  constexpr std::size_t kManyPieces = 64;
  const Shape<D> point{};
  std::vector<Nearest<D>> nearest(rays.size());
  std::vector<index::Way<D>> paths;
  std::vector<std::uint32_t> number;  // of the rays that can be followed
  for (const RayCast<D>& ray : rays)
    if (ray.from.allFinite() && Vec<D>(ray.from + ray.way).allFinite())
      number.push_back(static_cast<std::uint32_t>(&ray - rays.data()));
  std::vector<std::pair<std::uint32_t, std::uint32_t>> later;  // collider, ray
  std::vector<contact::Course<D>> courses;
  const auto course_of = [&](std::uint32_t which, const Pose<D>& place) {
    return course_in(place, contact::Course<D>{{rays[which].from, {}}, rays[which].way});
  };
  const auto take = [&](std::uint32_t which, const ColliderState<D>& c, const Pose<D>& place,
                        const std::optional<contact::Impact<D>>& hit) {
    if (!hit || hit->t > nearest[which].limit()) return;
    std::optional<Answer<D>> answer = answer_of(hit, place);
    answer->object = objects[c.object].shown.id, answer->collider = c.which;
    nearest[which].take(answer, c);
  };
  for (const index::Tree<D>* tree : {&still, &moving}) {
    paths.clear(), later.clear();
    for (const std::uint32_t i : number) paths.push_back({rays[i].from, rays[i].way, nearest[i].limit()});
    tree->along(
        paths, Vec<D>::Zero(),
        [&](std::uint32_t path, std::uint32_t at) {
          const std::uint32_t which = number[path];
          const ColliderState<D>& c = colliders[at];
          if (!asks_for(look, c)) return nearest[which].limit();
          const Shape<D>& shape = shape_of(c);
          if (shape.parts != nullptr && shape.parts->pieces.size() >= kManyPieces) {
            later.emplace_back(at, which);
          } else {
            const Pose<D> place = pose_of(c);
            take(which, c, place, contact::first_touch(shape, point, course_of(which, place)));
          }
          return nearest[which].limit();
        },
        index::Ahead{colliders.data(), sizeof(ColliderState<D>)});
    std::sort(later.begin(), later.end());
    for (auto first = later.begin(); first != later.end();) {
      const ColliderState<D>& c = colliders[first->first];
      const Pose<D> place = pose_of(c);
      const auto last = std::find_if(first, later.end(), [&](const auto& of) { return of.first != first->first; });
      courses.clear();
      for (auto at = first; at != last; ++at) courses.push_back(course_of(at->second, place));
      for (const std::optional<contact::Impact<D>>& hit : contact::first_touches<D>(shape_of(c), courses))
        take((first++)->second, c, place, hit);
    }
  }
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = std::move(nearest[i].best);
}

template <int D>
Result<std::vector<WouldTouch<D>>> World<D>::would_touch(ObjectId id, const Change<D>& change) const {
  Impl& impl = *impl_;
  const world::ObjectState<D>* o = impl.state(id);
  if (o == nullptr) return Error{"object", "is not there", "a live object"};
  if (!change.move.allFinite() || !change.turn.allFinite())
    return Error{fmt::format("object '{}' change", o->shown.name), "is not finite", "finite numbers"};
  if (!(change.scale > 0 && change.scale <= 1e6))
    return Error{fmt::format("object '{}' change", o->shown.name), fmt::format("scale {} is not usable", change.scale),
                 "a number above 0"};
  std::vector<WouldTouch<D>> out;
  const auto moves_along = [&](const world::ObjectState<D>& other) {
    for (std::uint32_t at = other.shown.id.slot; at != world::kAlone; at = impl.objects[at].parent)
      if (at == id.slot) return true;
    return false;
  };
  const auto look = [&](const world::ObjectState<D>& member, std::size_t i) {
    const ColliderDef<D>& own = member.shown.colliders[i].def;
    Party self = impl.party(member, i);
    // Where the collider is on the object asked about, which turns about its own origin and takes its children along.
    const Pose<D> on = &member == o ? Pose<D>{own.at, own.turned}
                                    : o->shown.pose.relative(member.shown.pose * Pose<D>{own.at, own.turned});
    if (self.body == BodyKind::fixed) self.body = BodyKind::kinematic;
    // The collider turns about its object's origin: as a child of a shape there.
    const Shape<D> shape = change.scale == 1 ? own.shape : scaled(own.shape, change.scale);
    Asked<D> a;
    a.moves = true, a.course = {o->shown.pose, change.move, change.turn};
    const bool plain = on.position.isZero() || change.turn.isZero();
    if (plain) {
      a.shape = shape;
      a.course.start = o->shown.pose * Pose<D>{change.scale * on.position, on.rotation};
    } else {
      const std::vector<Placed<D>> one{{shape, change.scale * on.position, on.rotation}};
      if (Result<Shape<D>> turned = compound<D>(one)) a.shape = std::move(turned).value();
      else return;  // scenery that turns about somewhere else: not asked
    }
    impl.near_by_age(a, [&](const ColliderState<D>& c) {
      const world::ObjectState<D>& other = impl.objects[c.object];
      if (moves_along(other)) return true;
      const Verdict verdict = colvik::decide(self, impl.party(other, c.which));
      if (!verdict.meet || impl.is_excepted(member.shown.id.slot, c.object)) return true;
      const auto answer = meet(a, false, other.shown.colliders[c.which].def.shape, impl.pose_of(c), 1);
      if (answer)
        out.push_back({i, other.shown.id, c.which, answer->at, answer->point, answer->normal, answer->inside, verdict,
                       member.shown.id});
      return true;
    });
  };
  impl.for_family(impl.objects[id.slot], [&](const world::ObjectState<D>& member) {
    for (std::size_t i = 0; i < member.shown.colliders.size(); ++i) look(member, i);
  });
  std::stable_sort(out.begin(), out.end(), [&](const WouldTouch<D>& x, const WouldTouch<D>& y) {
    const auto key = [&](const WouldTouch<D>& w) {
      return std::tuple(w.at, object(w.object).serial, w.collider, object(w.own).serial, w.own_collider);
    };
    return key(x) < key(y);
  });
  return out;
}

template <int D>
std::optional<Answer<D>> World<D>::first(const Question<D>& question, const Look<D>& look) const {
  return impl_->first(question, look);
}
template <int D>
std::vector<Answer<D>> World<D>::all(const Question<D>& question, const Look<D>& look) const {
  return impl_->ask(question, look, world::Wanted::all);
}
template <int D>
std::size_t World<D>::count(const Question<D>& question, const Look<D>& look) const {
  return impl_->ask(question, look, world::Wanted::count).size();
}
template <int D>
bool World<D>::any(const Question<D>& question, const Look<D>& look) const {
  return impl_->any(question, look);
}
template <int D>
std::vector<std::optional<Answer<D>>> World<D>::first_of_each(std::span<const RayCast<D>> rays,
                                                              const Look<D>& look) const {
  std::vector<std::optional<Answer<D>>> out(rays.size());
  if (look.take) {  // it may want an order
    for (std::size_t i = 0; i < rays.size(); ++i) out[i] = first(rays[i], look);
    return out;
  }
  impl_->bring_up_to_date();
  constexpr std::size_t kAtATime = 128;  // what is noted of each stays near
  for (std::size_t i = 0; i < rays.size(); i += kAtATime) {
    const std::size_t count = std::min(kAtATime, rays.size() - i);
    impl_->first_of_each(rays.subspan(i, count), look, std::span(out).subspan(i, count));
  }
  return out;
}

template std::optional<Answer<2>> World<2>::first(const Question<2>&, const Look<2>&) const;
template std::optional<Answer<3>> World<3>::first(const Question<3>&, const Look<3>&) const;
template std::vector<Answer<2>> World<2>::all(const Question<2>&, const Look<2>&) const;
template std::vector<Answer<3>> World<3>::all(const Question<3>&, const Look<3>&) const;
template std::size_t World<2>::count(const Question<2>&, const Look<2>&) const;
template std::size_t World<3>::count(const Question<3>&, const Look<3>&) const;
template bool World<2>::any(const Question<2>&, const Look<2>&) const;
template bool World<3>::any(const Question<3>&, const Look<3>&) const;
template std::vector<std::optional<Answer<2>>> World<2>::first_of_each(std::span<const RayCast<2>>,
                                                                       const Look<2>&) const;
template std::vector<std::optional<Answer<3>>> World<3>::first_of_each(std::span<const RayCast<3>>,
                                                                       const Look<3>&) const;
template Result<std::vector<WouldTouch<2>>> World<2>::would_touch(ObjectId, const Change<2>&) const;
template Result<std::vector<WouldTouch<3>>> World<3>::would_touch(ObjectId, const Change<3>&) const;

}  // namespace colvik
