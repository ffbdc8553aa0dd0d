#pragma once
// Answers to questions.
#include "pairs/model.h"

namespace colvik::world {

template <int D>
std::optional<Answer<D>> first_answer(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                                      const Question<D>& question, const QueryFilter<D>& filter);

template <int D>
bool any_answer(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                const Question<D>& question, const QueryFilter<D>& filter);

template <int D>
std::vector<Answer<D>> find_answers(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                                    const Question<D>& question, const QueryFilter<D>& filter,
                                    Wanted wanted);

// The rays go through the world together; those that hit scenery of many pieces are resolved
// then, again together.
template <int D>
void first_hits(Store<D>& store, BroadPhase<D>& broad, std::span<const RayCast<D>> rays,
                const QueryFilter<D>& filter, std::span<std::optional<Answer<D>>> out);

// See World::would_touch.
template <int D>
[[nodiscard]] Result<std::vector<WouldTouch<D>>> would_touch(Store<D>& store, BroadPhase<D>& broad,
                                                             Walkers<D>& walkers, ObjectId id,
                                                             const Change<D>& change);

}  // namespace colvik::world
