// A run's results as JSON.
#include <colvik/insight.hpp>

#include <nlohmann/json.hpp>

#include <ostream>

namespace colvik {

template <int D>
void write_results(std::ostream& out, const std::string& suite, const Trace<D>& trace,
                   std::span<const Expectation<D>> expectations) {
  using Results = nlohmann::ordered_json;
  Results all{{"scene", suite}, {"time", trace.time()}, {"steps", trace.steps()}};
  all["outcome"] = trace.outcome() ? Results(*trace.outcome()) : Results(nullptr);
  for (const Expectation<D>& e : expectations) {
    const ExpectationResult r = judge(e, trace);
    all["expectations"].push_back({{"met", r.met},
                                   {"pinned", e.pinned},
                                   {"expected", r.expected},
                                   {"happened", r.happened},
                                   {"file", r.place.file},
                                   {"line", r.place.line}});
  }
  for (const ReactionReport& r : trace.reactions()) all["reactions"][r.name] = r.fired;
  const Coverage tried = coverage(trace, expectations);
  all["tried"] = {{"percent", tried.percent()}};
  for (const Tried& t : tried.all) all["tried"][std::string(name_of(t.what))][t.name] = t.tried;
  all["objects"] = {{"live", trace.live()}, {"peak", trace.peak()}, {"left", trace.left()}};
  for (const Number& n : trace.numbers()) all["numbers"][n.name] = n.value;
  out << all.dump(2, ' ', false, Results::error_handler_t::replace) << '\n';
}

template void write_results(std::ostream&, const std::string&, const Trace<2>&,
                            std::span<const Expectation<2>>);
template void write_results(std::ostream&, const std::string&, const Trace<3>&,
                            std::span<const Expectation<3>>);

}  // namespace colvik
