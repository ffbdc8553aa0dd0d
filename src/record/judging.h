#pragma once
// What the judging of expectations shares.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <colvik/expectation.hpp>
#include <colvik/trace.hpp>

#include <algorithm>
#include <cmath>

namespace colvik::record {

template <int D>
std::string name_in(const Trace<D>& trace, std::uint32_t object) {
  return object == kNobody ? "nobody" : trace.objects()[object].name;
}

template <int D>
bool is_who(const Who& who, const Trace<D>& trace, std::uint32_t object, const TagSet& tags) {
  if (object == kNobody) return who.object().empty() && who.query() == TagQuery();
  return who.matches(trace.objects()[object].name, tags);
}

template <int D>
Result<Who> parse_who(const std::string& text, const Trace<D>& trace) {
  Result<Who> who = Who::parse(text, trace.tags());
  if (!who || who.value().object().empty() || trace.find(who.value().object()) != kNobody ||
      std::find(trace.kinds().begin(), trace.kinds().end(), kind_of_copy(who.value().object())) !=
          trace.kinds().end())
    return who;  // or a copy that may come
  std::vector<std::string> names;
  for (const TraceObject<D>& o : trace.objects()) names.push_back(o.name);
  return Error{{},
               fmt::format("no object is named '{}'", who.value().object()),
               suggestion(who.value().object(), names, "'@' and an object's name", "@")};
}

template <int D>
std::uint64_t step_at(const Trace<D>& trace, const std::optional<double>& at) {
  return at ? static_cast<std::uint64_t>(std::floor(*at * trace.rate() + 1e-9)) : trace.steps();
}
inline std::string when(const std::optional<double>& at) {
  return at ? fmt::format("at {:g} s", *at) : "at the end";
}

template <int D>
std::string position_text(const Pose<D>& pose) {
  std::string text;
  for (int i = 0; i < D; ++i) text += fmt::format("{} {:.3f}", i > 0 ? "," : "", pose.position[i]);
  return text;
}

// Of a copy that was not spawned.
inline ExpectationResult never_there(const std::string& expected) {
  ExpectationResult r;
  r.expected = expected;
  r.happened = "it never was there";
  return r;
}

// expect_objects.cpp
template <int D>
[[nodiscard]] Result<void> check_object_parts(const ExpectObject<D>& o, const Trace<D>& trace);
template <int D>
[[nodiscard]] ExpectationResult judge_object(const ExpectObject<D>& e, const Trace<D>& trace);
template <int D>
[[nodiscard]] ExpectationResult judge_walker(const Expectation<D>& whole, const ExpectWalker& e,
                                             const Trace<D>& trace);

}  // namespace colvik::record
