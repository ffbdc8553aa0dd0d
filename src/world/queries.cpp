// Public questions to a world.
#include <fmt/format.h>

#include <algorithm>

#include "query/answers.h"
#include "query/lines.h"
#include "walk/free_space.h"
#include "world/impl.h"

namespace colvik {

template <int D>
Result<std::vector<WouldTouch<D>>> World<D>::would_touch(ObjectId id,
                                                         const Change<D>& change) const {
  return world::would_touch(impl_->store, impl_->broad, impl_->walkers, id, change);
}

template <int D>
std::optional<Answer<D>> World<D>::first(const Question<D>& question,
                                         const QueryFilter<D>& filter) const {
  return world::first_answer(impl_->store, impl_->broad, impl_->walkers, question, filter);
}

template <int D>
std::vector<Answer<D>> World<D>::all(const Question<D>& question,
                                     const QueryFilter<D>& filter) const {
  return world::find_answers(impl_->store, impl_->broad, impl_->walkers, question, filter,
                             world::Wanted::all);
}

template <int D>
std::size_t World<D>::count(const Question<D>& question, const QueryFilter<D>& filter) const {
  return world::find_answers(impl_->store, impl_->broad, impl_->walkers, question, filter,
                             world::Wanted::count)
      .size();
}

template <int D>
bool World<D>::any(const Question<D>& question, const QueryFilter<D>& filter) const {
  return world::any_answer(impl_->store, impl_->broad, impl_->walkers, question, filter);
}

template <int D>
std::vector<std::optional<Answer<D>>> World<D>::first_of_each(std::span<const RayCast<D>> rays,
                                                              const QueryFilter<D>& filter) const {
  std::vector<std::optional<Answer<D>>> out(rays.size());
  if (filter.take) {  // it may want an order
    for (std::size_t i = 0; i < rays.size(); ++i) out[i] = first(rays[i], filter);
    return out;
  }
  world::refresh_index(impl_->store, impl_->broad, impl_->walkers);
  constexpr std::size_t kAtATime = 128;  // what is noted of each stays near
  for (std::size_t i = 0; i < rays.size(); i += kAtATime) {
    const std::size_t count = std::min(kAtATime, rays.size() - i);
    world::first_hits(impl_->store, impl_->broad, rays.subspan(i, count), filter,
                      std::span(out).subspan(i, count));
  }
  return out;
}

template <int D>
std::optional<Answer<D>> World<D>::deepest(ObjectId id, const Vec<D>& at) const {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  if (o == nullptr || !world::within(at, world::kFurthest * impl_->store.settings.metre))
    return std::nullopt;
  return world::deepest_overlap(impl_->store, impl_->broad, impl_->walkers, *o,
                                {at, o->shown.pose.rotation}, 0, nullptr);
}

template <int D>
Result<void> World<D>::fit_shape(ObjectId id, std::size_t collider, const Shape<D>& shape,
                                 const std::optional<Vec<D>>& at) {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  if (o == nullptr || collider >= o->shown.colliders.size())
    return Error{"shape", "its collider is not there", "a live object's collider"};
  if (auto good = check_shape(shape, impl_->store.settings.metre); !good) return good;
  const Pose<D> pose{at ? *at : o->shown.pose.position, o->shown.pose.rotation};
  if (const auto worst = world::deepest_overlap(impl_->store, impl_->broad, impl_->walkers, *o,
                                                pose, collider, &shape))
    return world::obstacle_error(o->shown.name, object(worst->object).name, *worst,
                                 "a shape that fits");
  if (auto good = set_shape(id, collider, shape); !good) return good;
  if (at) place(id, pose);
  return {};
}

template <int D>
std::optional<Vec<D>> World<D>::free_place(ObjectId id, const Vec<D>& near, double within) const {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  if (o == nullptr || !world::within(near, world::kFurthest * impl_->store.settings.metre) ||
      !(within >= 0))
    return std::nullopt;
  return world::free_place(impl_->store, impl_->broad, impl_->walkers, *o, near, within);
}

template <int D>
std::vector<Line<D>> World<D>::lines(const LineOptions& options) const {
  return world::lines_of(*impl_, options);
}

template <int D>
Result<void> World<D>::hop(ObjectId id, const Vec<D>& by) {
  Change<D> change;
  change.move = by;
  Result<std::vector<WouldTouch<D>>> touched = would_touch(id, change);
  if (!touched) return touched.error();
  const world::ObjectState<D>& o = *world::find_state(impl_->store, id);
  for (const WouldTouch<D>& t : touched.value()) {
    if (t.verdict.channel != Channel::solid || t.normal.dot(by) >= 0)
      continue;  // what it leaves is no obstacle
    Answer<D> what{t.object, t.collider, 0, t.point, t.normal, t.inside};
    Error error =
        world::obstacle_error(o.shown.name, object(t.object).name, what, "a way that is free");
    error.what =
        fmt::format("is stopped by '{}' after {:.3g} of the way", object(t.object).name, t.at);
    return error;
  }
  if (!place(id, {o.shown.pose.position + by, o.shown.pose.rotation}))
    return Error{"place", "is out of range", "finite positions up to 1e9 metres"};
  return {};
}

template Result<std::vector<WouldTouch<2>>> World<2>::would_touch(ObjectId id,
                                                                  const Change<2>& change) const;
template Result<std::vector<WouldTouch<3>>> World<3>::would_touch(ObjectId id,
                                                                  const Change<3>& change) const;
template std::optional<Answer<2>> World<2>::first(const Question<2>& question,
                                                  const QueryFilter<2>& filter) const;
template std::optional<Answer<3>> World<3>::first(const Question<3>& question,
                                                  const QueryFilter<3>& filter) const;
template std::vector<Answer<2>> World<2>::all(const Question<2>& question,
                                              const QueryFilter<2>& filter) const;
template std::vector<Answer<3>> World<3>::all(const Question<3>& question,
                                              const QueryFilter<3>& filter) const;
template std::size_t World<2>::count(const Question<2>& question,
                                     const QueryFilter<2>& filter) const;
template std::size_t World<3>::count(const Question<3>& question,
                                     const QueryFilter<3>& filter) const;
template bool World<2>::any(const Question<2>& question, const QueryFilter<2>& filter) const;
template bool World<3>::any(const Question<3>& question, const QueryFilter<3>& filter) const;
template std::vector<std::optional<Answer<2>>> World<2>::first_of_each(
    std::span<const RayCast<2>> rays, const QueryFilter<2>& filter) const;
template std::vector<std::optional<Answer<3>>> World<3>::first_of_each(
    std::span<const RayCast<3>> rays, const QueryFilter<3>& filter) const;
template std::optional<Answer<2>> World<2>::deepest(ObjectId id, const Vec<2>& at) const;
template std::optional<Answer<3>> World<3>::deepest(ObjectId id, const Vec<3>& at) const;
template Result<void> World<2>::fit_shape(ObjectId id, std::size_t collider, const Shape<2>& shape,
                                          const std::optional<Vec<2>>& at);
template Result<void> World<3>::fit_shape(ObjectId id, std::size_t collider, const Shape<3>& shape,
                                          const std::optional<Vec<3>>& at);
template std::optional<Vec<2>> World<2>::free_place(ObjectId id, const Vec<2>& near,
                                                    double within) const;
template std::optional<Vec<3>> World<3>::free_place(ObjectId id, const Vec<3>& near,
                                                    double within) const;
template std::vector<Line<2>> World<2>::lines(const LineOptions& options) const;
template std::vector<Line<3>> World<3>::lines(const LineOptions& options) const;
template Result<void> World<2>::hop(ObjectId id, const Vec<2>& by);
template Result<void> World<3>::hop(ObjectId id, const Vec<3>& by);

}  // namespace colvik
