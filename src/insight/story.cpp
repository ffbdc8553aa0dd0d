// All that happened to one object.
#include <fmt/format.h>

#include <colvik/insight.hpp>

#include <algorithm>

namespace colvik {

namespace {

template <int D>
class Story {
 public:
  Story(const Trace<D>& trace, const std::string& name) : trace_(trace), name_(name) {}

  std::string text() {
    add_life();
    for (const TraceTouch& t : trace_.touches()) add(t);
    for (const TraceFiring<D>& f : trace_.firings())
      add(f.time, f.self, f.other, "starts " + reaction(f.reaction));
    for (const TraceWithheld& w : trace_.withheld())
      add(w.time, w.self, w.other,
          "does not start " + reaction(w.reaction) +
              (w.claimed_by ? ", as " + reaction(*w.claimed_by) + " removes one of the two" : ""));
    for (const TraceNumber& n : trace_.number_changes())
      if (is_it(n.object))
        put(time_of(n.step), 4,
            n.before ? fmt::format("{}: {:g}, before {:g}", n.name, n.value, *n.before)
                     : fmt::format("{}: {:g}", n.name, n.value));
    std::stable_sort(lines_.begin(), lines_.end(), [](const Line& x, const Line& y) {
      return std::pair(x.time, x.kind) < std::pair(y.time, y.kind);
    });
    std::string text;
    for (const Line& line : lines_) text += fmt::format("{:9.3f} s  {}\n", line.time, line.text);
    return text;
  }

 private:
  struct Line {
    double time = 0;
    int kind = 0;  // orders what has the same time
    std::string text;
  };

  [[nodiscard]] bool is_it(std::uint32_t object) const {
    return object != kNobody && trace_.objects()[object].name == name_;
  }
  [[nodiscard]] std::string name(std::uint32_t object) const {
    return trace_.objects()[object].name;
  }
  [[nodiscard]] std::string reaction(std::size_t index) const {
    return "'" + trace_.reactions()[index].name + "'";
  }
  [[nodiscard]] double time_of(std::uint64_t step) const {
    return static_cast<double>(step) / trace_.rate();
  }
  [[nodiscard]] std::string place(std::uint32_t object, std::uint64_t step) const {
    const std::optional<Pose<D>> pose = trace_.pose_at(object, step);
    if (!pose) return "";
    std::string text = " at";
    for (int i = 0; i < D; ++i)
      text += fmt::format("{} {:.3f}", i > 0 ? "," : "",
                          std::abs(pose->position[i]) < 5e-4 ? 0.0 : pose->position[i]);
    return text;
  }
  void put(double time, int kind, std::string text) {
    lines_.push_back({time, kind, std::move(text)});
  }
  void add_life() {
    for (std::uint32_t i = 0; i < trace_.objects().size(); ++i) {
      if (!is_it(i)) continue;
      const TraceObject<D>& o = trace_.objects()[i];
      const std::string kind = o.kind.empty() ? "" : fmt::format(", a {}", o.kind);
      put(time_of(o.born), 0,
          fmt::format("{}{}{}", o.born == 0 ? "is there" : "comes", kind, place(i, o.born)));
      TagSet tags = trace_.tags_at(i, o.born);
      const std::uint64_t last = std::min(o.gone, trace_.steps());
      for (std::uint64_t step = o.born; step <= last; ++step)
        if (const TagSet now = trace_.tags_at(i, step); !(now == tags)) {
          put(time_of(step), 3, "has the tags " + trace_.tags().list(now));
          tags = now;
        }
      if (o.gone != kNever)
        put(time_of(o.gone), 5,
            (o.remover ? "is removed by " + reaction(*o.remover) : std::string("is gone")) +
                place(i, o.gone - 1));
    }
  }
  void add(const TraceTouch& t) {
    if (t.phase == Phase::during || !(is_it(t.self) || is_it(t.other))) return;
    const std::string whom = name(is_it(t.self) ? t.other : t.self);
    std::string text;
    if (t.phase == Phase::begin)
      text = fmt::format("touches {} ({}), closing at {:.3f}{}", whom, name_of(t.channel),
                         t.approach_speed, t.again ? ", again" : "");
    else
      text = fmt::format("no longer touches {} ({}): {}", whom, name_of(t.channel), name_of(t.why));
    put(t.time, t.why == EndCause::run_over ? 6 : 1, std::move(text));
  }
  void add(double time, std::uint32_t self, std::uint32_t other, const std::string& what) {
    if (is_it(self)) put(time, 2, what + (other != kNobody ? " with " + name(other) : ""));
    else if (is_it(other)) put(time, 2, what + " as the other side of " + name(self));
  }

  const Trace<D>& trace_;
  const std::string& name_;
  std::vector<Line> lines_;
};

}  // namespace

template <int D>
std::string story_of(const Trace<D>& trace, const std::string& name) {
  return Story<D>(trace, name).text();
}

template std::string story_of(const Trace<2>&, const std::string&);
template std::string story_of(const Trace<3>&, const std::string&);

}  // namespace colvik
