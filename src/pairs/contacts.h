#pragma once
// From pairs to contacts for the solver.
#include "pairs/contact_stage.h"
#include "pairs/model.h"

namespace colvik::world {

template <int D>
void make_contacts(Store<D>& store, PairTable<D>& pairs, Sleepers<D>& sleepers, Walkers<D>& walkers,
                   ContactStage<D>& contacts, CcdStage<D>& ccd);

// Contacts of a pair whose objects are, or will be in `ahead` seconds, at these poses.
template <int D>
void add_contacts(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                  ContactBatch<D>& out, std::size_t pair, const Place<D>& at_a,
                  const Place<D>& at_b, double margin, double ahead, bool guard);

}  // namespace colvik::world
