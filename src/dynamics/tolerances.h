#pragma once
// Tolerances of the solver, in metres and seconds.
#include <cstdint>

namespace colvik::dynamics {

inline constexpr double kSlop = 0.0005;  // overlap that is left alone, so that contacts persist
inline constexpr double kDeep = 0.05;  // what overlaps by more as it begins to touch has not landed
inline constexpr std::uint8_t kEvenSteps = 3;     // after it began to touch
inline constexpr double kPushSpeed = 3;           // fastest removal of overlap, per second
inline constexpr double kBounceThreshold = 0.25;  // slower hits do not bounce
inline constexpr int kFastPasses = 10;            // over the contacts of what is fast, in a substep
inline constexpr double kStrike = 1;  // what is stopped from faster than this leaves no push behind
inline constexpr double kTogether = 1e-6;   // points nearer than this at a hit are hit together
inline constexpr double kDamping = 2;       // damping ratio of the spring that removes overlap
inline constexpr double kStiffness = 0.25;  // its frequency as a part of the substep rate

// What is wedged in.
inline constexpr double kCalmTimes =
    2;  // as fast as what it touches was before, if that is much heavier
inline constexpr double kClampFromSpeed = 10;  // slower bodies are skipped
inline constexpr double kClampFromSpin = 100;  // radians a second: slower bodies are skipped

inline constexpr double kWatchFromSpeed = 5;  // energies of slower bodies are not watched
inline constexpr double kWatchFromSpin = 20;  // radians a second; likewise

// Islands that are solved at once.
inline constexpr unsigned kHigh = 16;   // bodies from the ground up
inline constexpr double kHeavy = 5;     // as heavy as what it lies on
inline constexpr double kWidest = 6;    // greatest width of an island, in bodies, about
inline constexpr double kGive = 0.002;  // of the effective inverse mass of a contact
inline constexpr int kRounds = 6;       // of letting go

}  // namespace colvik::dynamics
