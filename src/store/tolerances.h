#pragma once
// Tolerances of the world, in metres and seconds; multiply by the world's metre.

namespace colvik::world {

inline constexpr double kMargin = 0.02;  // contacts are kept while the shapes are nearer than this
inline constexpr double kTouching =
    0.004;  // solids this near touch; rounding and the solver's slop are below it
inline constexpr double kSamePoint =
    0.01;  // a contact point this near to one of the last step inherits its impulse
inline constexpr double kLetGo =
    0.012;  // a solid touch ends beyond this gap, so that none flickers

inline constexpr double kStill = 0.04;     // slower than this everywhere, per second, is at rest
inline constexpr double kSettled = 0.5;    // seconds at rest after which a body may fall asleep
inline constexpr double kFastPart = 0.05;  // of its size: what moves further within a step is fast
inline constexpr double kFastTouching = 0.25;  // likewise if the two touch already
inline constexpr double kQuickPart =
    0.25;  // of its thickness: what moves further within a substep is stopped at once
inline constexpr double kLeapPart =
    0.02;  // likewise within a substep: continuous collision follows it

}  // namespace colvik::world
