#pragma once
// Bodies of the solver, from objects and back.
#include "pairs/contact_stage.h"
#include "pairs/model.h"

namespace colvik::world {

template <int D>
void gather_bodies(Store<D>& store, PairTable<D>& pairs, Walkers<D>& walkers,
                   ContactStage<D>& contacts, CcdStage<D>& ccd);

template <int D>
void write_back_bodies(Store<D>& store, ContactStage<D>& contacts);

template <int D>
bool write_back_bodies(Store<D>& store, ContactStage<D>& contacts, std::size_t first,
                       std::size_t last);

// Before read_contacts, so that no event has numbers that are not finite.
template <int D>
void stop_lost_bodies(Store<D>& store, PairTable<D>& pairs, const ContactStage<D>& contacts);

}  // namespace colvik::world
