#pragma once
// From what contacts did to what touches.
#include "pairs/contact_stage.h"
#include "pairs/model.h"

namespace colvik::world {

// What a contact did is added to what its pair did in the step. Gaps are those of the step's end.
template <int D>
void record_contact(Store<D>& store, PairTable<D>& pairs, ContactStage<D>& contacts,
                    const dynamics::Contact<D>& c, std::uint32_t pair, bool at_end);

template <int D>
void read_contacts(Store<D>& store, PairTable<D>& pairs, Sleepers<D>& sleepers, Walkers<D>& walkers,
                   ContactStage<D>& contacts);

}  // namespace colvik::world
