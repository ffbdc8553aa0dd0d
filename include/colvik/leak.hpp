#pragma once
/// Whether a walker can get out of a region, and what it can get to: its real shape is walked,
/// dropped and made to jump through what is solid, as a step would do it.
///
///     colvik::LeakQuestion<2> question{.inside = colvik::Bounds<2>{{0, 0}, {40, 30}}};
///     auto leak = colvik::leak(world, courier, question);
///     if (leak && leak.value().out) ... // leak.value().out->points

#include <colvik/export.hpp>
#include <colvik/scene.hpp>

#include <functional>

namespace colvik {

/// How a walker gets from one place to the next.
enum class Going { start, walk, jump, fall, drop };
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(Going going);

/// A way through: places of the walker's origin, each with how it gets there.
template <int D>
struct Way {
  struct Point {
    Vec<D> at = kZero;
    Going by = Going::start;
  };
  std::vector<Point> points{};
  double length = 0;  ///< user's units
};

/// A place between two solids that is too narrow.
template <int D>
struct Gap {
  Vec<D> at = kZero;  ///< the walker's origin, stopped before it
  double width = 0;   ///< user's units
  double needed = 0;  ///< the walker's own width or height there
  std::string first;  ///< names of the objects on both sides
  std::string second;
};

template <int D>
struct LeakQuestion {
  std::optional<Bounds<D>> inside{};  ///< out is where its origin has left this
  std::string to{};                   ///< tag query or "@object": what it is to touch; "": nothing
  std::optional<Vec<D>> from{};       ///< of its origin; where it is when left out
  bool fly = false;                   ///< gravity does not count for it
  double resolution = 0;              ///< user's units; 0: a tenth of its smallest side
  std::size_t most = 6'000'000;       ///< places to visit before it gives up; at least 1
  std::function<void(std::size_t places)> progress{};  ///< called now and then; may be empty
};

template <int D>
struct Leak {
  struct Target {
    std::string name;
    Vec<D> at = kZero;
    std::optional<Way<D>> way;  ///< nullopt: it never touches it
  };
  std::string walker;
  Vec<D> from = kZero;
  double resolution = 0;            ///< that was used
  std::size_t places = 0;           ///< that it can be at and were visited
  bool gave_up = false;             ///< more than `most`: nothing is said of what was not found
  std::optional<Way<D>> out;        ///< the shortest way out; nullopt: closed, unless it gave up
  std::vector<Target> to;           ///< in order of creation
  std::optional<Gap<D>> narrowest;  ///< the widest of the gaps that are too narrow, of those it met
  std::vector<Vec<D>> reached;      ///< some of the places, for pictures
};

/// Searches all places that the walker can get to, the nearest first. Everything else stands still
/// as it is now, also what is dynamic or moves; nothing fires. It may stop at each place, go in
/// eight directions (in 3D without gravity six), fall or drop through one-way surfaces, and jump
/// from standing or at its top speed. A gap between two colliders is found however much narrower
/// than the resolution the room to pass is, but in a floor in 3D only a slit; "closed" is as sure
/// as that. Fails on what is no walker, a start that is not free or not inside, unknown names, and
/// numbers out of range. Cost: 15 to 50 microseconds and up to 130 bytes a place.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<Leak<D>> leak(const World<D>& world, ObjectId walker,
                                                 const LeakQuestion<D>& question);

/// The same by name, of a scene.
struct SceneLeak {
  std::string walker{};
  std::string from{};    ///< an object, OBJECT/SPOT, or X,Y[,Z]; "": where the walker is
  std::string inside{};  ///< a region of the scene; "": none
  std::string to{};      ///< a tag query or "@object"; "": none
  double at = 0;         ///< the moment at which everything stands, seconds
  bool fly = false;
  double resolution = 0;
  std::size_t most = 6'000'000;
  std::function<void(std::size_t places)> progress{};
};
/// Runs the scene until that moment and searches. Fails also on a time beyond the run.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<Leak<D>> leak(const Scene<D>& scene, const SceneLeak& question);

/// The answer in words.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string leak_report(const Leak<D>& leak);

}  // namespace colvik
