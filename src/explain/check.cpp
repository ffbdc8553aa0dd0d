// Finds what is hardly meant so.
#include <fmt/format.h>

#include <tuple>

#include "explain/checking.h"

namespace colvik {

namespace {

constexpr FindingKind kKinds[] = {
    {"reaction-never", Severity::error, false, "a reaction that nobody can start"},
    {"effect-finds-nothing", Severity::error, false,
     "an effect on a number, spot or collider that what it is about does not have"},
    {"effect-on-static", Severity::error, false, "an effect that moves what is static"},
    {"waits-for-nothing", Severity::error, false,
     "a start that waits for an input, cue or number that nobody gives or changes"},
    {"heard-by-nobody", Severity::warning, false, "an input or cue that no reaction waits for"},
    {"outcome-never", Severity::error, false, "an expected outcome that no reaction finishes with"},
    {"after-the-end", Severity::error, false, "an effect, start or input after the end of the run"},
    {"expectation-idle", Severity::error, false,
     "an expectation that cannot be missed, or cannot be met"},
    {"tag-of-nobody", Severity::error, false, "a tag that is meant and that nobody has"},
    {"tag-unused", Severity::warning, false, "a tag that is declared, and used nowhere"},
    {"zone-of-nobody", Severity::warning, false, "a zone that nobody can set off"},
    {"one-sided-filter", Severity::warning, false,
     "one's filter names the other, which refuses it"},
    {"reaction-too-wide", Severity::warning, false,
     "a reaction that removes or hurts what is static scenery"},
    {"reactions-compete", Severity::warning, false,
     "two reactions that send the same side of the same touch to different places"},
    {"cue-circle", Severity::warning, false, "cues that start each other for ever"},
    {"number-unreached", Severity::error, false,
     "a number that is waited for, and that no effect can bring there"},
    {"number-circle", Severity::warning, false, "reactions that send a number to and fro for ever"},
    {"drawing-alone", Severity::warning, false, "a drawing without a collider"},
    {"unlike-drawing", Severity::note, false, "a collider far larger or smaller than its drawing"},
    {"flat-sides", Severity::warning, false,
     "a round body with flat sides, which does not roll evenly"},
    {"no-standing-room", Severity::warning, false,
     "one-way surfaces closer above each other than a walker is high"},
    {"solids-overlap", Severity::warning, false, "solids that overlap at the start"},
    {"nothing-beneath", Severity::warning, false,
     "a dynamic body that falls, with nothing beneath and no bounds"},
    {"dynamic-floor", Severity::warning, false, "a wide dynamic body that others stand on"},
    {"thin-for-speed", Severity::warning, false,
     "a fast body without `continuous` that passes through what is thin"},
    {"masses-apart", Severity::note, false, "masses of more than 1,000 to 1 that may stack"},
    {"size-unlike-metre", Severity::note, false, "a body far from the size that `metre` suggests"},
    {"too-many-points", Severity::note, false, "an outline of many points"},
    {"starts-outside", Severity::warning, false, "an object that starts outside the bounds"},
    {"no-negative", Severity::note, false,
     "only what must happen is expected, nothing that must not"},
    {"reaction-silent", Severity::note, true, "a reaction that did not fire in the run"},
    {"effect-idle", Severity::warning, true, "an effect that found nothing to act on in the run"},
    {"cooldown-too-long", Severity::note, true, "a cooldown that held back most starts"},
    {"nearly-touches", Severity::note, true, "two that a reaction is for, and that just miss"},
    {"acceptance-unused", Severity::warning, false, "an acceptance that matches no finding"},
};

template <int D>
Party party_of(const Tags& tags, const ObjectDef<D>& def, const ColliderDef<D>& c) {
  Party p;
  p.tags = tags.find_all(def.tags).value().merged(tags.find_all(c.tags).value());
  p.meets = TagQuery::parse(c.meets, tags).value();
  p.body = def.body;
  p.zone = c.zone;
  p.meets_relatives = def.meets_relatives;
  return p;
}

// Whose family, by the names of parents that stand earlier.
template <int D>
std::uint64_t root_of(const Scene<D>& scene, std::size_t i) {
  for (std::size_t k = 0; k < i; ++k)
    if (!scene.objects[i].parent.empty() && scene.objects[k].name == scene.objects[i].parent)
      return root_of(scene, k);
  return i + 1;
}

template <int D>
void know_all(reasons::Checking<D>& c) {
  const auto know = [&](const ObjectDef<D>& def, const Place& place, bool spawned,
                        std::uint64_t root, std::uint64_t serial, const KeyPlaces& keys) {
    // What has a parent moves as that does.
    const bool rides = !def.parent.empty() && root <= c.scene.objects.size();
    const BodyKind body = rides ? c.scene.objects[root - 1].body : def.body;
    reasons::Known<D> known{&def, c.tags().find_all(def.tags).value(), {}, place, spawned, keys};
    for (const ColliderDef<D>& collider : def.colliders) {
      known.parties.push_back(party_of(c.tags(), def, collider));
      known.parties.back().object = serial;
      known.parties.back().family = root;
      known.parties.back().body = body;
      known.tags = known.tags.merged(known.parties.back().tags);
    }
    c.all.push_back(std::move(known));
  };
  std::uint64_t serial = 0;
  for (std::size_t i = 0; i < c.scene.objects.size(); ++i)
    know(c.scene.objects[i], i < c.scene.object_places.size() ? c.scene.object_places[i] : Place{},
         false, root_of(c.scene, i), ++serial,
         i < c.scene.object_keys.size() ? c.scene.object_keys[i] : KeyPlaces{});
  std::set<std::string> kinds;
  for (const Reaction<D>& r : c.scene.reactions)
    for (const Effect& e : r.effects) {
      if (const auto* spawn = std::get_if<effects::Spawn>(&e.what)) kinds.insert(spawn->kind);
      if (const auto* retag = std::get_if<effects::Retag>(&e.what))
        for (const std::string& tag : retag->give)
          if (const Result<Tag> known = c.tags().find(tag)) c.given.insert(known.value());
    }
  for (std::size_t i = 0; i < c.scene.kinds.size(); ++i)
    for (int copy = 0; copy < 2; ++copy)  // two of them may meet
      if (kinds.contains(c.scene.kinds[i].kind)) {
        ++serial;
        know(c.scene.kinds[i], i < c.scene.kind_places.size() ? c.scene.kind_places[i] : Place{},
             true, serial, serial,
             i < c.scene.kind_keys.size() ? c.scene.kind_keys[i] : KeyPlaces{});
      }
}

template <int D>
void accept(const Scene<D>& scene, std::vector<Finding>& found, bool run) {
  for (const auto& a : scene.accepted) {
    bool matched = false;
    for (Finding& f : found)
      if (f.id == a.finding && (a.of.empty() || a.of == f.of)) {
        f.accepted = a.because;
        matched = true;
      }
    const auto kind = std::find_if(std::begin(kKinds), std::end(kKinds),
                                   [&](const FindingKind& k) { return k.id == a.finding; });
    if (matched || (kind != std::end(kKinds) && kind->needs_run && !run)) continue;
    std::vector<std::string> ids;
    for (const FindingKind& k : kKinds) ids.emplace_back(k.id);
    found.push_back({"acceptance-unused",
                     Severity::warning,
                     a.place,
                     a.finding,
                     fmt::format("nothing is found that '{}' accepts", a.finding),
                     kind == std::end(kKinds) ? suggestion(a.finding, ids, "the id of a finding")
                                              : "take the acceptance out",
                     {}});
  }
}

}  // namespace

std::span<const FindingKind> finding_kinds() { return kKinds; }

std::string_view name_of(Severity severity) {
  switch (severity) {
    case Severity::note: return "note";
    case Severity::warning: return "warning";
    default: return "error";
  }
}

namespace reasons {

template <int D>
void Checking<D>::add(std::string_view id, const Place& place, std::string of, std::string what,
                      std::string todo) {
  const auto kind = std::find_if(std::begin(kKinds), std::end(kKinds),
                                 [&](const FindingKind& k) { return k.id == id; });
  // Of what several copies share, once.
  for (const Finding& f : found)
    if (f.id == id && f.place.line == place.line && f.place.column == place.column &&
        place.line > 0)
      return;
  found.push_back({std::string(id),
                   kind->severity,
                   place,
                   std::move(of),
                   std::move(what),
                   std::move(todo),
                   {}});
}

template <int D>
std::vector<const Known<D>*> Checking<D>::meant(const Who& who) const {
  std::vector<const Known<D>*> list;
  const auto is = [&](const Known<D>& k, const TagSet& tags) {
    return who.matches(k.spawned ? "" : k.def->name, tags) ||
           (who.object().empty() && given != TagSet() && who.matches("", tags.merged(given)));
  };
  for (const Known<D>& k : all)
    if ((k.parties.empty() && is(k, k.tags)) ||
        std::any_of(k.parties.begin(), k.parties.end(),
                    [&](const Party& p) { return is(k, p.tags); }) ||
        (k.spawned && !who.object().empty() && kind_of_copy(who.object()) == k.def->kind))
      list.push_back(&k);
  return list;
}

template struct Checking<2>;
template struct Checking<3>;

}  // namespace reasons

template <int D>
std::vector<Finding> check(const Scene<D>& scene, bool run) {
  const auto start = start_run(scene);
  reasons::Checking<D> c{scene, *start};
  know_all(c);
  reasons::check_tags(c);
  reasons::check_pairs(c);
  reasons::check_effects(c);
  reasons::check_waiting(c);
  reasons::check_numbers(c);
  reasons::check_bodies(c);
  reasons::check_places(c);
  reasons::check_expectations(c);
  if (run) reasons::check_run(c);
  accept(scene, c.found, run);
  std::stable_sort(c.found.begin(), c.found.end(), [](const Finding& x, const Finding& y) {
    return std::tuple(-static_cast<int>(x.severity), x.place.line, x.place.column) <
           std::tuple(-static_cast<int>(y.severity), y.place.line, y.place.column);
  });
  return std::move(c.found);
}

std::string check_report(std::span<const Finding> findings) {
  std::string out;
  std::size_t open = 0;
  std::size_t accepted = 0;
  for (const Finding& f : findings) {
    if (!f.accepted.empty()) {
      ++accepted;
      continue;
    }
    ++open;
    out += fmt::format("{}:{}:{}: {}: {} [{}]\n    {}\n", f.place.file, f.place.line,
                       f.place.column, name_of(f.severity), f.what, f.id, f.todo);
  }
  out += open == 0 ? "nothing found" : fmt::format("{} finding{}", open, open == 1 ? "" : "s");
  if (accepted > 0) out += fmt::format(", {} accepted", accepted);
  return out + "\n";
}

template std::vector<Finding> check(const Scene<2>&, bool);
template std::vector<Finding> check(const Scene<3>&, bool);

}  // namespace colvik
