#pragma once
// Sleep: bodies at rest that touch each other fall asleep together, and wake together.
#include "pairs/contact_stage.h"
#include "pairs/model.h"

namespace colvik::world {

template <int D>
void wake_groups(Model<D>& model, std::span<const std::uint32_t> groups);

template <int D>
void wake_all(Model<D>& model);

template <int D>
void disturb(Model<D>& model, ObjectState<D>& o);

// The groups of sleepers that have a pair with a still collider.
template <int D>
void find_groups_on(Store<D>& store, BroadPhase<D>& broad, Sleepers<D>& sleepers, std::uint32_t at,
                    bool touching, std::vector<std::uint32_t>& groups);

// An awake object that begins to touch a sleeping one wakes it.
template <int D>
void wake_touched(Model<D>& model);

// Union of bodies through touches (Galler and Fischer, "An improved equivalence algorithm", 1964).
template <int D>
void fall_asleep(Model<D>& model, ContactStage<D>& contacts);

}  // namespace colvik::world
