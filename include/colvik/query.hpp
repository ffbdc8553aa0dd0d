#pragma once
/// Queries of a world: what a ray or a moving shape hits, what overlaps a place, what is nearest,
/// and what an object would touch if it were moved.
///
///     auto hit = world.first(colvik::RayCast<2>{{0, 1}, {10, 0}});
///     auto near = world.all(colvik::Near<2>{{3, 2}, 5.0}, {.who = parcel});
///
/// Answers are in a total order: by `at`, then by age of the object, then by collider. A question
/// sees the world as it is now, also before the first step and between changes and the next one.
/// Cost: the first question after a step brings the index up to date, O(objects); then O(log n +
/// what is near). The first answer of a way or of what is nearest, and whether there is any, cost
/// only what they visit until then.

#include <colvik/object.hpp>
#include <colvik/verdict.hpp>

#include <functional>
#include <span>
#include <variant>

namespace colvik {

/// A straight line from a point; `at` of an answer is the fraction travelled, 0 to 1.
template <int D>
struct RayCast {
  Vec<D> from = kZero;
  Vec<D> displacement = kZero;  ///< to from + displacement
};
/// A shape that moves along a line and turns evenly about its origin.
template <int D>
struct ShapeCast {
  Shape<D> shape{};
  Pose<D> start{};
  Vec<D> displacement = kZero;
  Spin<D> turn = kZero;  ///< over the whole displacement, radians
};
/// What a shape at a place overlaps; `at` is minus the depth, so that the deepest comes first.
template <int D>
struct OverlapWith {
  Shape<D> shape{};
  Pose<D> pose{};
};
/// What holds a point (surfaces without inside hold none).
template <int D>
struct AtPoint {
  Vec<D> point = kZero;
};
/// What is within a distance of a point, which may be infinite; `at` is the distance, 0 inside.
template <int D>
struct Near {
  Vec<D> point = kZero;
  double within = 0;
};
template <int D>
using Question = std::variant<RayCast<D>, ShapeCast<D>, OverlapWith<D>, AtPoint<D>, Near<D>>;

/// One collider that a query found.
template <int D>
struct Answer {
  ObjectId object{};
  std::size_t collider = 0;
  double at = 0;          ///< what it means depends on the question
  Vec<D> point = kZero;   ///< world; on the surface that was hit; of overlaps in the middle
  Vec<D> normal = kZero;  ///< unit, from the answer's surface towards the query's shape
  bool inside = false;    ///< the query's shape overlaps it from the start
};

/// What to do with an answer: take it, pass it over, or take it as the last one.
enum class Take { yes, no, last };

/// Which colliders a query returns.
template <int D>
struct QueryFilter {
  TagQuery who{};  ///< over the object's and the collider's tags; the default takes all
  bool solids = true;
  bool zones = false;
  std::optional<ObjectId> except{};
  /// Called for each answer, in the order of answers for `first` and `all`, in a fixed but
  /// arbitrary one for `count` and `any`. May be empty.
  std::function<Take(const Answer<D>&)> take{};
};

/// "What if": an object elsewhere, turned, or of another size. The size counts from the start.
template <int D>
struct Change {
  Vec<D> move = kZero;   ///< world
  Spin<D> turn = kZero;  ///< about the object's origin, radians
  double scale = 1;      ///< of all its colliders, about its origin; > 0
};
template <int D>
struct WouldTouch {
  std::size_t own_collider = 0;
  ObjectId object{};
  std::size_t collider = 0;
  double at = 0;  ///< 0 to 1 of the change
  Vec<D> point = kZero;
  Vec<D> normal = kZero;
  bool inside = false;
  Verdict verdict{};  ///< the rule that admitted the two
  ObjectId own{};     ///< the object, or the one of its children that would touch
};

/// A touch of a walker's last move.
template <int D>
struct WalkTouch {
  ObjectId object{};
  std::size_t collider = 0;
  WalkSide side = WalkSide::beneath;
  Vec<D> point = kZero;
  Vec<D> normal = kZero;  ///< world; the normal points at the walker
  double time = 0;        ///< seconds from the start of the run
  double speed = 0;       ///< units per second at which it came to it
};
/// How a walker stands or moves.
template <int D>
struct Walking {
  bool standing = false;
  ObjectId on{};             ///< what it stands on
  std::size_t collider = 0;  ///< of that
  Vec<D> normal = kZero;     ///< of the ground; zero in the air
  /// Seconds from the start of the run: when it last came to stand, or left the ground.
  double since = 0;
  Vec<D> up = kZero;            ///< unit; zero without gravity
  Vec<D> own_velocity = kZero;  ///< as seen from what carries it
  Vec<D> carried = kZero;       ///< velocity of what carries it
  Vec<D> facing = kZero;        ///< unit; the direction of the last wish; zero before one
  /// Of its position along up, since it last left the ground; also between two steps.
  double highest = 0;
  bool jumping = false;   ///< it rises by its jump
  bool squeezed = false;  ///< it has no place without overlap
  double deepest = 0;     ///< how deep it is then in a solid
  Wish<D> wish{};
  std::vector<WalkTouch<D>> touches{};  ///< of its last move, in order of time
};
}  // namespace colvik
