#pragma once
/// Why something in a scene fired or did not: the scene is run and watched (colvik/watch.hpp), and
/// the answer says where in the file to change what.
///
///     auto answer = colvik::why(scene, {.first = "courier", .second = "crate"});
///     if (answer) std::cout << colvik::why_report(answer.value());

#include <colvik/export.hpp>
#include <colvik/scene.hpp>
#include <colvik/watch.hpp>

namespace colvik {

/// One time at which it fired (without a reaction: at which the two began to touch).
struct WhyFired {
  double time = 0;
  std::string first;
  std::string second;
  std::string admitted;             ///< which rule lets the two meet; "" of what no touch started
  std::vector<std::string> led_to;  ///< numbers, removals and further reactions, in order
};

/// Two in question for which it did not fire.
struct WhyPair {
  std::string first;
  std::string second;
  Stage stage = Stage::absent;
  std::string sentence;
  bool meant = true;      ///< false: the reaction is not for these two
};

struct Why {
  std::string file;
  std::string question;  ///< "'collect' of courier and parcel"
  bool of_reaction = false;
  std::vector<WhyFired> fired;     ///< in order of time
  std::vector<WhyPair> not_fired;  ///< those that came furthest first
  std::vector<std::string> again;  ///< of what began more than once: why each begin was new
  std::string change;              ///< of the one that came furthest: what to change; "" if nothing
  std::vector<Place> places;       ///< and where
};

/// Runs the scene and answers. Each of the question's two is a tag query, "@object", or the name of
/// an object where no tag has it. Fails on unknown names, with the nearest one, and on times that
/// are not within the run.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<Why> why(const Scene<D>& scene, const WatchQuestion& question);

/// The answer in words: what fired, the rest grouped by what stopped it, what to change.
[[nodiscard]] COLVIK_EXPORT std::string why_report(const Why& why);

}  // namespace colvik
