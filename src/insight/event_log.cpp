#include <colvik/insight.hpp>

#include <nlohmann/json.hpp>

#include <ostream>

namespace colvik {

template <int D>
void write_events(std::ostream& out, const Trace<D>& trace) {
  using InOrder = nlohmann::ordered_json;
  const auto name = [&](std::uint32_t object) -> InOrder {
    return object == kNobody ? InOrder(nullptr) : InOrder(trace.objects()[object].name);
  };
  const auto write = [&](const InOrder& line) {
    out << line.dump(-1, ' ', false, InOrder::error_handler_t::replace) << '\n';
  };
  auto firing = trace.firings().begin();
  auto late = trace.withheld().begin();
  const auto write_firings_before = [&](std::uint64_t step) {
    for (; firing != trace.firings().end() && firing->step < step; ++firing) {
      InOrder line{{"step", firing->step},
                   {"time", firing->time},
                   {"reaction", trace.reactions()[firing->reaction].name}};
      if (firing->self != kNobody) line["self"] = name(firing->self);
      if (firing->other != kNobody) line["other"] = name(firing->other);
      write(line);
    }
    for (; late != trace.withheld().end() && late->step < step; ++late) {
      InOrder line{{"step", late->step},
                   {"time", late->time},
                   {"withheld", trace.reactions()[late->reaction].name}};
      if (late->claimed_by) line["claimed_by"] = trace.reactions()[*late->claimed_by].name;
      if (late->self != kNobody) line["self"] = name(late->self);
      if (late->other != kNobody) line["other"] = name(late->other);
      write(line);
    }
  };
  for (const TraceTouch& t : trace.touches()) {
    // Ends with the run come after everything else of the last step.
    write_firings_before(t.why == EndCause::run_over ? kNever : t.step);
    InOrder line{{"step", t.step},
                 {"time", t.time},
                 {"phase", name_of(t.phase)},
                 {"channel", name_of(t.channel)},
                 {"self", name(t.self)},
                 {"other", name(t.other)}};
    if (t.phase == Phase::end) line["why"] = name_of(t.why);
    if (t.phase == Phase::begin) line["approach_speed"] = t.approach_speed;
    if (t.again) line["again"] = true;
    write(line);
  }
  write_firings_before(kNever);
}

template void write_events(std::ostream&, const Trace<2>&);
template void write_events(std::ostream&, const Trace<3>&);

}  // namespace colvik
