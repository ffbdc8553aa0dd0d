#pragma once
// Continuous collision: a fast, small object has its contacts found again in each substep,
// where it first touches.
#include "pairs/broad_phase.h"
#include "pairs/contact_stage.h"
#include "pairs/pair_table.h"

namespace colvik::world {

// How far apart the two are now; of more than `beyond`, that it is more.
template <int D>
void measure_gap(const Store<D>& store, const PairTable<D>& pairs, const ContactStage<D>& contacts,
                 FastPair<D>& f, double beyond);

template <int D>
void begin_substep(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                   CcdStage<D>& ccd);

// The last defence: a body whose centre has passed through a solid within the substep, or has come
// so near that it could as well be resolved to the far side, is put back before it.
template <int D>
void end_substep(Store<D>& store, BroadPhase<D>& broad, ContactStage<D>& contacts,
                 CcdStage<D>& ccd);

// Records the path of an object, or of its root, where it moves far.
template <int D>
void start_trail(Store<D>& store, CcdStage<D>& ccd, std::uint32_t slot);

// Where these are at the end of each substep.
template <int D>
void record_trails(Store<D>& store, ContactStage<D>& contacts, CcdStage<D>& ccd);

}  // namespace colvik::world
