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
  bool meant = true;  ///< false: the reaction is not for these two
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

// ---- findings ----------------------------------------------------------------------------------

enum class Severity {
  note,     ///< unusual, and may be meant so
  warning,  ///< it hardly does what it was written for
  error     ///< it cannot do what it was written for
};
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(Severity severity);

/// Something in a scene that is hardly meant so.
struct Finding {
  std::string id{};  ///< stable: "tag-unused"
  Severity severity = Severity::warning;
  Place place{};
  std::string of{};        ///< the object, tag or reaction that it is about
  std::string what{};      ///< one sentence: why
  std::string todo{};      ///< one sentence: what to do
  std::string accepted{};  ///< the reason that the scene gives for it; "": it is not accepted
};

/// What `check` can find: ids with what they mean, in the order of docs/explain.md.
struct FindingKind {
  std::string_view id;
  Severity severity;
  bool needs_run = false;
  std::string_view meaning;
};
[[nodiscard]] COLVIK_EXPORT std::span<const FindingKind> finding_kinds();

/// Finds mistakes in a scene that can be read: without running it or, with `run`, also for
/// those that need one. By severity, then in order of the file; those that the scene accepts are
/// marked. Cost: the square of the objects; with `run` two runs.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::vector<Finding> check(const Scene<D>& scene, bool run = false);

/// A line for each that is not accepted, and one for what to do.
[[nodiscard]] COLVIK_EXPORT std::string check_report(std::span<const Finding> findings);

}  // namespace colvik
