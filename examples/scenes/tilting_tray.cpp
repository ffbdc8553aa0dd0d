// A grid that only heavy parcels cannot pass, and that tilts.
#include "scenes.hpp"

void depot::tilting_tray(Run<2>& run) {
  declare(run, {"parcel", "heavy", "light", "scenery", "grid", "tray"});
  World<2>& world = run.world;
  for (const char* number : {"light", "heavy"}) world.set_number({}, number, 0).value();
  const auto parcel = [&](const std::string& name, const Vec<2>& at, const char* tag, double size,
                          double density) {
    world
        .add({.name = name,
              .at = at,
              .body = BodyKind::dynamic,
              .tags = {"parcel", tag},
              .colliders = {{.shape = box(size, size),
                             .density = density,
                             .friction = 0.2,
                             .meets = "scenery | grid | tray | parcel"}}})
        .value();
  };
  for (int i = 0; i < 3; ++i)
    parcel("small." + std::to_string(i + 1), {-0.8 + 0.8 * i, 2 + 0.8 * i}, "light", 0.4, 1);
  for (int i = 0; i < 2; ++i)
    parcel("big." + std::to_string(i + 1), {-1.2 + 2.0 * i, 5.0 + i}, "heavy", 0.6, 8);
  world
      .add({.name = "grid",
            .body = BodyKind::kinematic,
            .tags = {"grid"},
            .colliders = {{.shape = box(4, 0.2), .friction = 0.2, .meets = "heavy"}},
            .motion = Path<2>{{{0, {0, 0}, Rotation<2>()},
                               {3, {0, 0}, Rotation<2>()},
                               {4, {0, 0}, Rotation<2>(radians(-25))}}}})
      .value();
  world
      .add({.name = "bottom",
            .at = {0, -4.2},
            .tags = {"scenery"},
            .colliders = {{.shape = box(9, 0.4)}}})
      .value();
  for (const auto& [name, x, width] :
       {std::tuple("light-tray", 0.0, 4.0), std::tuple("heavy-tray", 3.4, 2.0)})
    world
        .add({.name = name,
              .at = {x, -3.5},
              .tags = {"tray"},
              .colliders = {{.shape = box(width, 1), .zone = true, .meets = "parcel"}}})
        .value();

  const auto counts = [&](const char* name, const char* self, const char* other,
                          const char* number) {
    run.rules
        .add({.name = name,
              .self = self,
              .other = other,
              .once = Once::per_other,
              .effects = {effects::add(number, 1)}})
        .value();
  };
  counts("light", "@light-tray", "parcel", "world.light");
  counts("heavy", "@heavy-tray", "heavy", "world.heavy");
}
