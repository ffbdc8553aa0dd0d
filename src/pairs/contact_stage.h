#pragma once
// Bodies and contacts of the running step.
#include "dynamics/solver.h"
#include "pairs/batch.h"
#include "store/access.h"

namespace colvik::world {

inline constexpr std::size_t kPart = 512;  // pairs or contacts that a thread takes at a time

// What the solver works on, and what comes of it.
template <int D>
struct ContactStage {
  dynamics::Solver<D> solver;
  math::Many<dynamics::Body<D>> bodies;
  std::vector<std::uint32_t> body_objects;  // their slots
  std::vector<Pace<D>> paces;               // of bodies, as the step begins
  ContactBatch<D> batch;                    // contacts of fast pairs come last
  std::vector<ContactBatch<D>> parts;       // of it, while it is shared between threads
  std::size_t steady = 0;  // contacts that hold for the whole step: the first of the batch
  // What lies deep in something that does not yield: it, and the pair.
  std::vector<std::pair<std::uint32_t, std::uint32_t>> deep;
  std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> deep_by_worker;
  std::vector<std::uint8_t> lost_by_worker;  // whether it saw a body that is not finite
  // Pairs that began to touch, by who found them, and together.
  std::vector<std::vector<std::uint32_t>> begun_by_worker;
  std::vector<std::uint32_t> begun;
};

// Continuous collision: what moves far for its size within the running step.
template <int D>
struct CcdStage {
  std::vector<LookAhead<D>> look_aheads;  // of a substep, by part
  std::vector<Predicted> predicted;       // of all of them: slow, quick, then passing ones
  std::vector<std::uint32_t> racers;      // bodies that may pass something in a substep
  std::vector<double> racing_speeds;      // by body: the square of the speed from which on it may
  double least_racing = 0;                // of these
  bool any_leap = false;                  // some body moves far for its size
  std::size_t held_back = 0;              // times the tunnelling guard moved a body back, so far
  // Bodies whose poses are recorded by substep, as a zone may lie on their path.
  std::vector<std::uint32_t> trailed;
  std::vector<double> trail_lengths;
  std::vector<Pose<D>> trails;  // by substep, then in their order
};

// As the step begins. Most are where their bodies are, which lie close together.
template <int D>
[[nodiscard]] Place<D> start_place(const Store<D>& store, const ContactStage<D>& contacts,
                                   std::uint32_t slot) {
  const Brief<D>& brief = store.briefs[slot];
  if (!brief.centred) return store.objects[slot].place();
  const dynamics::Body<D>& b = contacts.bodies[brief.body];
  return {Pose<D>{b.centre, b.rotation}, b.rest};
}

template <int D>
COLVIK_FETCHES void prefetch_start_place(const Store<D>& store, const ContactStage<D>& contacts,
                                         std::uint32_t slot) {
  if (const Brief<D>& brief = store.briefs[slot]; brief.centred)
    math::fetch(&contacts.bodies[brief.body], offsetof(dynamics::Body<D>, inverse_inertia));
  else prefetch_place(store, slot);
}

// find(first, last, out) for parts of what is below count, each by itself; then all are merged
// in their order, behind what there was. Returns how many parts there were.
template <int D, class QueryFilter>
std::size_t collide_in_parts(ContactStage<D>& contacts, std::size_t count, std::size_t grain,
                             QueryFilter&& find) {
  math::Crew& crew = contacts.solver.crew();
  const std::size_t parts = crew.parts(count, grain);
  if (parts == 1) {
    find(std::size_t{0}, count, contacts.batch);
    return parts;
  }
  if (contacts.parts.size() < parts) contacts.parts.resize(parts);
  crew.share(count, grain, [&](std::size_t first, std::size_t last, std::size_t) {
    ContactBatch<D>& part = contacts.parts[first / grain];
    part.clear();
    find(first, last, part);
  });
  contacts.batch.gather(std::span(contacts.parts).first(parts), crew);
  return parts;
}

}  // namespace colvik::world
