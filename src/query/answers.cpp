#include "query/answers.h"

#include <fmt/format.h>

#include <algorithm>

#include "contact/cast.h"
#include "contact/collide.h"
#include "pairs/index.h"
#include "shapes/assembly.h"
#include "store/access.h"
#include "store/checks.h"
#include "store/objects.h"

namespace colvik::world {

namespace {

constexpr double kReach = 1e15;  // no query reaches further

template <int D>
struct PosedQuestion {
  Shape<D> shape{};  // a point is a ball without a size
  contact::Course<D> course{};
  double within = 0;
  bool moves = false;
};

template <int D>
PosedQuestion<D> posed(const Question<D>& question) {
  PosedQuestion<D> a;
  if (const auto* ray = std::get_if<RayCast<D>>(&question)) {
    a.course.start.position = ray->from;
    a.course.move = ray->displacement;
    a.moves = true;
  } else if (const auto* cast = std::get_if<ShapeCast<D>>(&question)) {
    a.shape = cast->shape;
    a.course = {cast->start, cast->displacement, cast->turn};
    a.moves = true;
  } else if (const auto* overlap = std::get_if<OverlapWith<D>>(&question)) {
    a.shape = overlap->shape;
    a.course.start = overlap->pose;
  } else if (const auto* point = std::get_if<AtPoint<D>>(&question)) {
    a.course.start.position = point->point;
  } else {
    const Near<D>& near = std::get<Near<D>>(question);
    a.course.start.position = near.point;
    a.within = std::min(std::max(0.0, near.within), kReach);
  }
  return a;
}

// Where it is before it moves, however it turns.
template <int D>
Bounds<D> start_of(const PosedQuestion<D>& a) {
  return contact::bounds_on_course(a.shape, a.course).grown(a.within);
}

template <int D>
bool has_end(const PosedQuestion<D>& a) {
  const Bounds<D> swept = start_of(a).swept(a.course.move);
  return (swept.lo.array() >= -2 * kReach).all() && (swept.hi.array() <= 2 * kReach).all() &&
         (swept.lo.array() <= swept.hi.array()).all();
}

// The first of all answers, by distance; of equals the oldest.
template <int D>
struct Nearest {
  double most = 1;
  std::optional<Answer<D>> best{};
  std::uint64_t age = 0;

  [[nodiscard]] double limit() const { return best ? best->at : most; }
  void take(const std::optional<Answer<D>>& answer, const ColliderState<D>& c) {
    if (answer && (!best || std::pair(answer->at, c.serial) < std::pair(best->at, age))) {
      best = answer;
      age = c.serial;
    }
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
std::optional<Answer<D>> answer_of(const std::optional<contact::Impact<D>>& hit,
                                   const Pose<D>& place) {
  if (!hit) return std::nullopt;
  Answer<D> out;
  out.at = hit->t;
  out.inside = hit->inside;
  out.point = place * hit->point;
  out.normal = place.rotation * hit->normal;
  return out;
}

// The answer for one collider at `place`, if the query hits it no later than `limit`.
template <int D>
std::optional<Answer<D>> meet(const PosedQuestion<D>& a, bool near, const Shape<D>& shape,
                              const Pose<D>& place, double limit) {
  if (a.moves)
    return answer_of(contact::first_touch(shape, a.shape, course_in(place, a.course), limit),
                     place);
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

// All whose bounds it overlaps while it moves, in any order; `visit` returns whether to continue.
template <int D, class Visit>
void visit_near(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                const PosedQuestion<D>& a, Visit&& visit) {
  refresh_index(store, broad, walkers);
  if (!has_end(a)) return;
  const Bounds<D> start = start_of(a);
  bool on = true;
  for (const index::Tree<D>* tree : {&broad.still, &broad.moving})
    if (on)
      tree->along(start.centre(), a.course.move, start.size() / 2, 1, [&](std::uint32_t at) {
        on = on && visit(at);
        return on ? 1.0 : -1.0;
      });
}

// The same, the oldest first.
template <int D, class Visit>
void visit_by_age(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                  const PosedQuestion<D>& a, Visit&& visit) {
  std::vector<std::uint32_t> found;
  visit_near(store, broad, walkers, a, [&](std::uint32_t at) {
    found.push_back(at);
    return true;
  });
  sort_by_age(store, found);
  for (const std::uint32_t at : found)
    if (!visit(store.colliders[at])) return;
}

template <int D>
bool accepts(const Store<D>& store, const QueryFilter<D>& filter, const ColliderState<D>& c) {
  const Object<D>& o = store.objects[c.object].shown;
  return (c.zone ? filter.zones : filter.solids) && filter.who.matches(o.colliders[c.which].tags) &&
         !(filter.except && *filter.except == o.id);
}

template <int D>
std::optional<Answer<D>> hit_collider(Store<D>& store, const PosedQuestion<D>& a,
                                      const QueryFilter<D>& filter, const ColliderState<D>& c,
                                      bool near, double limit) {
  if (!accepts(store, filter, c)) return std::nullopt;
  std::optional<Answer<D>> answer = meet(a, near, c.shape, pose_of(store, c), limit);
  if (answer) {
    answer->object = store.objects[c.object].shown.id;
    answer->collider = c.which;
  }
  return answer;
}

template <int D>
std::optional<Answer<D>> first_answer(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                                      const Question<D>& question, const QueryFilter<D>& filter) {
  PosedQuestion<D> a = posed(question);
  const bool near_point = std::holds_alternative<Near<D>>(question);
  if (filter.take || !(a.moves || near_point)) {
    const std::vector<Answer<D>> found =
        find_answers(store, broad, walkers, question, filter, Wanted::first);
    return found.empty() ? std::nullopt : std::optional(found.front());
  }
  // It is searched for from the start of the displacement on, or from the point.
  refresh_index(store, broad, walkers);
  if (!has_end(a)) return std::nullopt;
  Nearest<D> nearest{near_point ? a.within : 1};
  const auto visit = [&](std::uint32_t at) {
    if (near_point) a.within = nearest.limit();
    nearest.take(hit_collider(store, a, filter, store.colliders[at], near_point, nearest.limit()),
                 store.colliders[at]);
    return nearest.limit();
  };
  const Bounds<D> start = contact::bounds_on_course(a.shape, a.course);
  for (const index::Tree<D>* tree : {&broad.still, &broad.moving})
    if (near_point) tree->outward(start, nearest.limit(), visit);
    else
      tree->along(start.centre(), a.course.move, start.size() / 2, nearest.limit(), visit,
                  index::Ahead{store.colliders.data(), sizeof(ColliderState<D>)});
  return nearest.best;
}

template <int D>
bool any_answer(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                const Question<D>& question, const QueryFilter<D>& filter) {
  if (filter.take)
    return !find_answers(store, broad, walkers, question, filter, Wanted::any).empty();
  const PosedQuestion<D> a = posed(question);
  bool found = false;
  visit_near(store, broad, walkers, a, [&](std::uint32_t at) {
    found = hit_collider(store, a, filter, store.colliders[at],
                         std::holds_alternative<Near<D>>(question), 1)
                .has_value();
    return !found;
  });
  return found;
}

template <int D>
std::vector<Answer<D>> find_answers(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                                    const Question<D>& question, const QueryFilter<D>& filter,
                                    Wanted wanted) {
  const PosedQuestion<D> a = posed(question);
  const bool near_point = std::holds_alternative<Near<D>>(question);
  const bool in_order = wanted == Wanted::first || wanted == Wanted::all;
  std::vector<Answer<D>> found;
  visit_by_age(store, broad, walkers, a, [&](const ColliderState<D>& c) {
    const std::optional<Answer<D>> answer = hit_collider(store, a, filter, c, near_point, 1);
    if (!answer) return true;
    if (in_order) {
      found.push_back(*answer);
      return true;
    }
    const Take take = filter.take ? filter.take(*answer) : Take::yes;
    if (take != Take::no) found.push_back(*answer);
    return take != Take::last && wanted != Wanted::any;
  });
  if (!in_order) return found;
  // Found in order of age; so are equals left.
  std::stable_sort(found.begin(), found.end(),
                   [](const Answer<D>& x, const Answer<D>& y) { return x.at < y.at; });
  std::vector<Answer<D>> out;
  for (const Answer<D>& answer : found) {
    const Take take = filter.take ? filter.take(answer) : Take::yes;
    if (take != Take::no) out.push_back(answer);
    if (take == Take::last || (wanted == Wanted::first && !out.empty())) break;
  }
  return out;
}

template <int D>
void first_hits(Store<D>& store, BroadPhase<D>& broad, std::span<const RayCast<D>> rays,
                const QueryFilter<D>& filter, std::span<std::optional<Answer<D>>> out) {
  constexpr std::size_t kManyPieces = 64;
  const Shape<D> point{};
  std::vector<Nearest<D>> nearest(rays.size());
  std::vector<index::Sweep<D>> paths;
  std::vector<std::uint32_t> number;  // of the rays that can be followed
  for (const RayCast<D>& ray : rays)
    if (within(ray.from, kReach) && within(ray.displacement, kReach))
      number.push_back(static_cast<std::uint32_t>(&ray - rays.data()));
  std::vector<std::pair<std::uint32_t, std::uint32_t>> later;  // collider, ray
  std::vector<contact::Course<D>> courses;
  const auto course_of = [&](std::uint32_t which, const Pose<D>& place) {
    return course_in(place, contact::Course<D>{{rays[which].from, {}}, rays[which].displacement});
  };
  const auto take = [&](std::uint32_t which, const ColliderState<D>& c, const Pose<D>& place,
                        const std::optional<contact::Impact<D>>& hit) {
    if (!hit || hit->t > nearest[which].limit()) return;
    std::optional<Answer<D>> answer = answer_of(hit, place);
    answer->object = store.objects[c.object].shown.id;
    answer->collider = c.which;
    nearest[which].take(answer, c);
  };
  for (const index::Tree<D>* tree : {&broad.still, &broad.moving}) {
    paths.clear();
    later.clear();
    for (const std::uint32_t i : number)
      paths.push_back({rays[i].from, rays[i].displacement, nearest[i].limit()});
    tree->along(
        paths, Vec<D>::Zero(),
        [&](std::uint32_t path, std::uint32_t at) {
          const std::uint32_t which = number[path];
          const ColliderState<D>& c = store.colliders[at];
          if (!accepts(store, filter, c)) return nearest[which].limit();
          const Shape<D>& shape = c.shape;
          if (shape.parts != nullptr && shape.parts->pieces.size() >= kManyPieces) {
            later.emplace_back(at, which);
          } else {
            const Pose<D> place = pose_of(store, c);
            take(which, c, place, contact::first_touch(shape, point, course_of(which, place)));
          }
          return nearest[which].limit();
        },
        index::Ahead{store.colliders.data(), sizeof(ColliderState<D>)});
    std::sort(later.begin(), later.end());
    for (auto first = later.begin(); first != later.end();) {
      const ColliderState<D>& c = store.colliders[first->first];
      const Pose<D> place = pose_of(store, c);
      const auto last = std::find_if(first, later.end(),
                                     [&](const auto& of) { return of.first != first->first; });
      courses.clear();
      for (auto at = first; at != last; ++at) courses.push_back(course_of(at->second, place));
      for (const std::optional<contact::Impact<D>>& hit :
           contact::first_touches<D>(c.shape, courses))
        take((first++)->second, c, place, hit);
    }
  }
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = std::move(nearest[i].best);
}

template <int D>
Result<std::vector<WouldTouch<D>>> would_touch(Store<D>& store, BroadPhase<D>& broad,
                                               Walkers<D>& walkers, ObjectId id,
                                               const Change<D>& change) {
  const ObjectState<D>* o = find_state(store, id);
  if (o == nullptr) return Error{"object", "is not there", "a live object"};
  if (!within(change.move, kReach) || !within(change.turn, kReach))
    return Error{fmt::format("object '{}' change", o->shown.name), "is out of range",
                 "a displacement and a turn up to 1e15"};
  if (!(change.scale > 0 && change.scale <= 1e6))
    return Error{fmt::format("object '{}' change", o->shown.name),
                 fmt::format("scale {} is not usable", change.scale), "a number above 0"};
  std::vector<WouldTouch<D>> out;
  const auto moves_along = [&](const ObjectState<D>& other) {
    for (std::uint32_t at = other.shown.id.slot; at != kAlone; at = store.objects[at].parent)
      if (at == id.slot) return true;
    return false;
  };
  const auto sweep_collider = [&](const ObjectState<D>& member, std::size_t i) {
    const ColliderDef<D>& own = member.shown.colliders[i].def;
    Party self = party_of(store, member, i);
    // The pose of the collider on the queried object, which turns about its own origin and takes
    // its children along.
    const Pose<D> on =
        &member == o ? Pose<D>{own.at, own.turned}
                     : o->shown.pose.relative(member.shown.pose * Pose<D>{own.at, own.turned});
    if (self.body == BodyKind::fixed) self.body = BodyKind::kinematic;
    // The collider turns about its object's origin: as a child of a shape there.
    const Shape<D> shape = change.scale == 1 ? own.shape : scaled(own.shape, change.scale);
    PosedQuestion<D> a;
    a.moves = true;
    a.course = {o->shown.pose, change.move, change.turn};
    const bool plain = on.position.isZero() || change.turn.isZero();
    if (plain) {
      a.shape = shape;
      a.course.start = o->shown.pose * Pose<D>{change.scale * on.position, on.rotation};
    } else {
      const std::vector<Placed<D>> one{{shape, change.scale * on.position, on.rotation}};
      if (Result<Shape<D>> turned = compound<D>(one)) a.shape = std::move(turned).value();
      else return;  // scenery that turns about somewhere else: not queried
    }
    visit_by_age(store, broad, walkers, a, [&](const ColliderState<D>& c) {
      const ObjectState<D>& other = store.objects[c.object];
      if (moves_along(other)) return true;
      const Verdict verdict = colvik::decide(self, party_of(store, other, c.which));
      if (!verdict.meet || is_excepted(store, member.shown.id.slot, c.object)) return true;
      const auto answer =
          meet(a, false, other.shown.colliders[c.which].def.shape, pose_of(store, c), 1);
      if (answer)
        out.push_back({i, other.shown.id, c.which, answer->at, answer->point, answer->normal,
                       answer->inside, verdict, member.shown.id});
      return true;
    });
  };
  for_family(store, store.objects[id.slot], [&](const ObjectState<D>& member) {
    for (std::size_t i = 0; i < member.shown.colliders.size(); ++i) sweep_collider(member, i);
  });
  const auto serial = [&](ObjectId of) { return store.objects[of.slot].shown.serial; };
  std::stable_sort(out.begin(), out.end(), [&](const WouldTouch<D>& x, const WouldTouch<D>& y) {
    const auto key = [&](const WouldTouch<D>& w) {
      return std::tuple(w.at, serial(w.object), w.collider, serial(w.own), w.own_collider);
    };
    return key(x) < key(y);
  });
  return out;
}

template std::optional<Answer<2>> first_answer(Store<2>& store, BroadPhase<2>& broad,
                                               Walkers<2>& walkers, const Question<2>& question,
                                               const QueryFilter<2>& filter);
template std::optional<Answer<3>> first_answer(Store<3>& store, BroadPhase<3>& broad,
                                               Walkers<3>& walkers, const Question<3>& question,
                                               const QueryFilter<3>& filter);
template bool any_answer(Store<2>& store, BroadPhase<2>& broad, Walkers<2>& walkers,
                         const Question<2>& question, const QueryFilter<2>& filter);
template bool any_answer(Store<3>& store, BroadPhase<3>& broad, Walkers<3>& walkers,
                         const Question<3>& question, const QueryFilter<3>& filter);
template std::vector<Answer<2>> find_answers(Store<2>& store, BroadPhase<2>& broad,
                                             Walkers<2>& walkers, const Question<2>& question,
                                             const QueryFilter<2>& filter, Wanted wanted);
template std::vector<Answer<3>> find_answers(Store<3>& store, BroadPhase<3>& broad,
                                             Walkers<3>& walkers, const Question<3>& question,
                                             const QueryFilter<3>& filter, Wanted wanted);
template void first_hits(Store<2>& store, BroadPhase<2>& broad, std::span<const RayCast<2>> rays,
                         const QueryFilter<2>& filter, std::span<std::optional<Answer<2>>> out);
template void first_hits(Store<3>& store, BroadPhase<3>& broad, std::span<const RayCast<3>> rays,
                         const QueryFilter<3>& filter, std::span<std::optional<Answer<3>>> out);
template Result<std::vector<WouldTouch<2>>> would_touch(Store<2>&, BroadPhase<2>&, Walkers<2>&,
                                                        ObjectId, const Change<2>&);
template Result<std::vector<WouldTouch<3>>> would_touch(Store<3>&, BroadPhase<3>&, Walkers<3>&,
                                                        ObjectId, const Change<3>&);

}  // namespace colvik::world
