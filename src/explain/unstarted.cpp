// Why a start that is no touch never came.
#include <fmt/format.h>

#include <algorithm>

#include "explain/explain.h"

namespace colvik::reasons {

namespace {

template <int D>
std::string of_number(const OnNumber& on, const Run<D>& run) {
  const std::size_t dot = on.number.find('.');
  const std::string name = on.number.substr(dot + 1);
  std::string text;
  const auto add = [&](std::uint32_t object, const std::string& whose) {
    const auto range = run.trace.number_range(object, name);
    if (!range || text.size() > 200) return;
    text += fmt::format("{}{}.{} was from {:g} to {:g}", text.empty() ? "" : ", ", whose, name,
                        range->first, range->second);
  };
  if (on.number.starts_with("world.")) add(kNobody, "world");
  for (std::uint32_t i = 0; i < run.trace.objects().size(); ++i)
    if (on.number.starts_with("self.") ||
        on.number.substr(0, dot) == "@" + run.trace.objects()[i].name)
      add(i, run.trace.objects()[i].name);
  if (text.empty()) return fmt::format("nobody has a number '{}'", name);
  const std::string_view how = on.how == OnNumber::How::reaches  ? "never came to"
                               : on.how == OnNumber::How::passes ? "never got past"
                                                                 : "never left";
  return fmt::format("{}, and {} {:g}", text, how, on.reaches);
}

template <int D>
std::string of_cue(const OnCue& on, const Run<D>& run) {
  std::string senders;
  for (std::size_t i = 0; i < run.rules.reports().size(); ++i)
    for (const Effect& e : run.rules.reaction(i).effects)
      if (const auto* cue = std::get_if<effects::Cue>(&e.what);
          cue != nullptr && cue->name == on.name)
        senders += fmt::format("{}'{}', which fired {} times", senders.empty() ? "" : " and ",
                               run.rules.reports()[i].name, run.rules.reports()[i].fired);
  return senders.empty() ? fmt::format("no reaction sends the cue '{}'", on.name)
                         : fmt::format("the cue '{}' is sent by {}", on.name, senders);
}

}  // namespace

template <int D>
std::string why_unstarted(const Scene<D>& scene, const Run<D>& run, std::size_t reaction) {
  const Start& when = run.rules.reaction(reaction).when;
  const double end = run.trace.time();
  if (const auto* number = std::get_if<OnNumber>(&when)) return of_number(*number, run);
  if (const auto* cue = std::get_if<OnCue>(&when)) return of_cue(*cue, run);
  if (const auto* count = std::get_if<OnCount>(&when))
    return fmt::format("the number of '{}' never became {}", count->query, count->reaches);
  if (const auto* time = std::get_if<OnTime>(&when))
    return fmt::format("it starts at {:g} s, and the run ended at {:.3f} s", time->at, end);
  if (const auto* every = std::get_if<OnInterval>(&when))
    return fmt::format("it first starts at {:g} s, and the run ended at {:.3f} s", every->from,
                       end);
  if (const auto* state = std::get_if<OnState>(&when))
    return fmt::format("nobody that it is for {} {}",
                       state->leaves ? "left the state" : "came to be", name_of(state->state));
  if (const auto* input = std::get_if<OnInput>(&when)) {
    std::vector<std::string> given;
    for (const auto& i : scene.inputs) given.push_back(i.name);
    return fmt::format(
        "the input '{}' is never given{}", input->name,
        given.empty() ? "" : "; " + suggestion(input->name, given, "those given have other names"));
  }
  return "the run had no first step";
}

template std::string why_unstarted(const Scene<2>&, const Run<2>&, std::size_t);
template std::string why_unstarted(const Scene<3>&, const Run<3>&, std::size_t);

}  // namespace colvik::reasons
