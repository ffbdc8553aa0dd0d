#pragma once
// What a world holds of its objects: the one store that every room above reads.
#include <colvik/world.hpp>

#include <string>
#include <unordered_map>
#include <vector>

#include "filter/classes.h"
#include "math/many.h"
#include "store/states.h"

namespace colvik::world {

// Where the next object and collider go.
struct Slots {
  std::vector<std::uint32_t> free_objects;
  std::vector<std::uint32_t> free_colliders;
  std::uint64_t next_object = 1;
  std::uint64_t next_collider = 1;  // serials
  std::size_t live_count = 0;       // objects
};

template <int D>
struct Store {
  WorldSettings<D> settings;
  Tags tags;
  std::vector<Number> numbers;  // the world's own

  math::Many<ObjectState<D>> objects;  // by slot
  math::Many<Brief<D>> briefs;         // likewise
  math::Many<ColliderState<D>> colliders;
  Slots ids;
  std::vector<std::uint32_t> order;   // slots of objects not yet freed, by serial
  std::vector<std::uint32_t> movers;  // of them, those that are not static and awake
  std::unordered_map<std::string, std::uint32_t> by_name;  // for lookup, never iterated

  std::vector<ObjectDef<D>> kinds;       // in order of declaration
  std::vector<std::uint64_t> spawned;    // by kind: copies so far, as they were named
  std::vector<Excepted> excepted;        // by serials
  ContactClasses classes;                // of the colliders' tags, filters and roles
  std::vector<std::uint32_t> scheduled;  // slots of objects with schedules
  std::vector<std::uint32_t> pushed;     // slots of objects with timed pushes

  std::uint64_t steps = 0;
  std::size_t left_count = 0;     // objects that left the world's bounds
  std::size_t stopped_count = 0;  // bodies stopped as their state was not finite
  bool has_fields = false;        // some collider has one, or had
  bool removed_waiting = false;   // removed objects are yet to be freed
  bool causes_noted = false;      // some object's Changes are set
};

}  // namespace colvik::world
