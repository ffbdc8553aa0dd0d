#pragma once
// Contacts of a step.
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "dynamics/body.h"
#include "math/crew.h"
#include "math/many.h"
#include "pairs/pair.h"

namespace colvik::world {

// Results and scratch space for a range of pairs. Those who
// process ranges concurrently have one each.
template <int D>
struct ContactBatch {
  math::Many<dynamics::Contact<D>> contacts;
  std::vector<std::uint32_t> contact_pairs;
  std::vector<FastPair<D>> fast_pairs;
  std::vector<std::uint32_t> active_pairs;  // in order: the others stay apart

  // Of the pair at hand.
  std::vector<contact::Manifold<D>> manifolds;
  std::vector<CachedImpulse<D>> before;  // points of the last step

  void clear() {
    contacts.clear();
    contact_pairs.clear();
    fast_pairs.clear();
    active_pairs.clear();
  }

  // Takes in what is in those parts, one after the other.
  void gather(std::span<const ContactBatch> parts, math::Crew& crew) {
    std::size_t count = contacts.size();
    for (const ContactBatch& part : parts) {
      count += part.contacts.size();
      contact_pairs.insert(contact_pairs.end(), part.contact_pairs.begin(),
                           part.contact_pairs.end());
      fast_pairs.insert(fast_pairs.end(), part.fast_pairs.begin(), part.fast_pairs.end());
      active_pairs.insert(active_pairs.end(), part.active_pairs.begin(), part.active_pairs.end());
      starts_.push_back(count - part.contacts.size());
    }
    contacts.resize(count);
    crew.share(parts.size(), 1, [&](std::size_t first, std::size_t last, std::size_t) {
      for (std::size_t k = first; k < last; ++k)
        std::copy(parts[k].contacts.begin(), parts[k].contacts.end(),
                  contacts.begin() + static_cast<std::ptrdiff_t>(starts_[k]));
    });
    starts_.clear();
  }

 private:
  std::vector<std::size_t> starts_;  // of parts
};

// Results for a range of fast pairs in a substep.
template <int D>
struct LookAhead {
  std::vector<Predicted> coming;
  // Contacts of the last substep that still hold, pairs of theirs, and which fast pairs these are.
  math::Many<dynamics::Contact<D>> held;
  std::vector<std::uint32_t> held_pairs;
  std::vector<std::uint32_t> held_fast;

  void clear() {
    coming.clear();
    held.clear();
    held_pairs.clear();
    held_fast.clear();
  }
};

}  // namespace colvik::world
