// Why expectations were missed: what the step decided about those who were meant.
#include <colvik/insight.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <optional>

namespace colvik {
namespace {

// Whom a missed expectation is about, in its time; nothing of numbers, objects and outcomes.
template <int D>
std::optional<WatchQuestion> question_of(const Expectation<D>& e) {
  if (const auto* c = std::get_if<ExpectContact>(&e.what))
    return WatchQuestion{c->first, c->second, "", e.from, e.to};
  const auto* r = std::get_if<ExpectReaction>(&e.what);
  if (r == nullptr) return std::nullopt;
  return WatchQuestion{r->self, r->other, r->reaction, e.from, e.to};
}

template <int D>
std::size_t count_of(const WatchedPair<D>& two, const WatchQuestion& question, bool reaction) {
  if (reaction) return two.fired.size();
  return static_cast<std::size_t>(std::count_if(
      two.touches.begin(), two.touches.end(),
      [&](const WatchedTouch& t) { return t.begin >= question.from && t.begin <= question.to; }));
}

template <int D>
std::string reason(const Expectation<D>& e, const Watch<D>& watch, const WatchQuestion& question) {
  const bool of_reaction = !question.reaction.empty();
  const auto* r = std::get_if<ExpectReaction>(&e.what);
  if (r != nullptr && (!r->before.empty() || !r->after.empty())) return "";  // their order
  std::vector<WatchedPair<D>> pairs = watch.pairs();
  // Those that the reaction does not mean only where there are no others.
  if (std::any_of(pairs.begin(), pairs.end(), [](const auto& two) { return two.meant; }))
    std::erase_if(pairs, [](const auto& two) { return !two.meant; });
  if (pairs.empty()) return "no two objects that were there fit";
  std::size_t happened = 0;
  const WatchedPair<D>* most = nullptr;  // of which it happened most often
  for (const WatchedPair<D>& two : pairs) {
    const std::size_t count = count_of(two, question, of_reaction);
    happened += count;
    if (most == nullptr || count > count_of(*most, question, of_reaction)) most = &two;
  }
  const std::size_t wanted = e.never      ? 0
                             : e.times    ? *e.times
                             : e.at_least ? *e.at_least
                             : e.at_most  ? std::min<std::size_t>(*e.at_most, happened)
                                          : 1;
  if (happened > wanted || (happened == wanted && wanted > 0))  // how often for one of them
    return most->touches.size() > 1 ? watch.touches_of(*most) : "";
  for (const WatchedPair<D>& two : pairs)  // the one that came furthest of those it lacks
    if (count_of(two, question, of_reaction) == 0) return watch.sentence(two);
  return most->since.stage == Stage::absent ? "" : watch.sentence_since(*most);
}

}  // namespace

template <int D>
std::vector<std::string> why_missed(std::span<const Expectation<D>> expectations,
                                    const Trace<D>& trace, double seconds,
                                    const std::function<std::unique_ptr<Run<D>>()>& again) {
  std::vector<std::string> reasons(expectations.size());
  struct Watching {
    std::size_t expectation = 0;
    WatchQuestion question;
    std::unique_ptr<Watch<D>> watch{};
  };
  std::unique_ptr<Run<D>> run;  // outlives those who watch it
  std::vector<Watching> watching;
  for (std::size_t i = 0; i < expectations.size(); ++i) {
    const auto question = question_of(expectations[i]);
    if (!question || judge(expectations[i], trace).met ||
        !check_expectation(expectations[i], trace))
      continue;
    if (!run) run = again();
    watching.push_back(
        {i, *question, std::make_unique<Watch<D>>(run->world, run->rules, *question)});
  }
  if (run) run->run_for(seconds);
  for (const Watching& a : watching)
    reasons[a.expectation] = reason(expectations[a.expectation], *a.watch, a.question);
  watching.clear();
  return reasons;
}

template std::vector<std::string> why_missed(std::span<const Expectation<2>>, const Trace<2>&,
                                             double,
                                             const std::function<std::unique_ptr<Run<2>>()>&);
template std::vector<std::string> why_missed(std::span<const Expectation<3>>, const Trace<3>&,
                                             double,
                                             const std::function<std::unique_ptr<Run<3>>()>&);

}  // namespace colvik
