// Who meets whom: for each two tags, or objects, the verdict of the filter.
#include <colvik/insight.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace colvik {
namespace {

struct Member {
  Party party;
  std::string name;
};

// What any of the first and any of the second do.
Meeting meeting(std::string first, std::string second, std::span<const Member> a,
                std::span<const Member> b, const Tags& tags) {
  Meeting m{std::move(first), std::move(second), false, false, {}};
  std::string refusal;
  std::string accepted;
  for (const Member& x : a)
    for (const Member& y : b) {
      if (x.party.object == y.party.object) continue;
      const Verdict v = decide(x.party, y.party);
      if (v.meet) (v.channel == Channel::solid ? m.solid : m.zone) = true;
      std::string& why = v.meet ? accepted : refusal;
      if (why.empty()) why = explain(v, x.party, x.name, y.party, y.name, tags);
    }
  m.why = m.solid || m.zone ? accepted : refusal;
  if (m.why.empty())
    m.why = a.empty() || b.empty() ? "no collider has one of the two" : "only one object has them";
  return m;
}

}  // namespace

template <int D>
std::vector<Meeting> who_meets(const Trace<D>& trace, bool objects) {
  std::vector<std::pair<std::string, std::vector<Member>>> groups;
  if (!objects)
    for (const std::string& tag : trace.tags().names())
      groups.emplace_back(tag, std::vector<Member>{});
  for (const TraceObject<D>& o : trace.objects()) {
    if (o.born > 0) continue;
    if (objects) groups.emplace_back(o.name, std::vector<Member>{});
    for (Party p : o.parties) {
      p.active = true;  // it may be shown later
      if (objects) groups.back().second.push_back({p, o.name});
      else
        for (const Tag tag : p.tags.list()) {
          std::vector<Member>& all = groups[tag.index].second;
          // Two of a sort stand for all of it: more would say the same.
          const auto alike = std::count_if(all.begin(), all.end(), [&](const Member& m) {
            return m.party.tags == p.tags && m.party.meets == p.meets && m.party.zone == p.zone &&
                   m.party.body == p.body && m.party.on == p.on && m.party.family == p.family;
          });
          if (alike < 2) all.push_back({p, o.name});
        }
    }
  }
  std::vector<Meeting> all;
  for (std::size_t i = 0; i < groups.size(); ++i)
    for (std::size_t k = objects ? i + 1 : i; k < groups.size(); ++k)
      all.push_back(meeting(groups[i].first, groups[k].first, groups[i].second, groups[k].second,
                            trace.tags()));
  return all;
}

std::string who_report(std::span<const Meeting> meetings) {
  std::vector<std::string> names;
  std::map<std::pair<std::string, std::string>, const Meeting*> cells;
  for (const Meeting& m : meetings) {
    for (const std::string* name : {&m.first, &m.second})
      if (std::find(names.begin(), names.end(), *name) == names.end()) names.push_back(*name);
    cells[{m.first, m.second}] = cells[{m.second, m.first}] = &m;
  }
  const auto text = [&](const Meeting* m) -> std::string {
    if (m == nullptr) return "";
    return m->solid && m->zone ? "both" : m->solid ? "solid" : m->zone ? "zone" : "-";
  };
  std::size_t widest = 0;
  for (const std::string& name : names) widest = std::max(widest, name.size());
  std::string out = fmt::format("{:<{}}", "", widest);
  for (const std::string& name : names)
    out += fmt::format("  {:<{}}", name, std::max<std::size_t>(5, name.size()));
  for (std::size_t i = 0; i < names.size(); ++i) {
    out += fmt::format("\n{:<{}}", names[i], widest);
    for (std::size_t k = 0; k <= i; ++k)  // the relation is symmetric
      out += fmt::format("  {:<{}}", text(cells[{names[i], names[k]}]),
                         k == i ? 0 : std::max<std::size_t>(5, names[k].size()));
  }
  out += "\n\nWhy\n";
  for (const Meeting& m : meetings)
    out += fmt::format("  {} and {}: {}\n", m.first, m.second,
                       m.solid || m.zone ? fmt::format("{}; {}", text(&m), m.why) : m.why);
  return out;
}

template std::vector<Meeting> who_meets(const Trace<2>&, bool);
template std::vector<Meeting> who_meets(const Trace<3>&, bool);

}  // namespace colvik
