// Tags, filters, and whom reactions are for.
#include <fmt/format.h>

#include "explain/checking.h"

namespace colvik::reasons {

// Names in a query, "@object" apart.
std::vector<std::string> names_in(const std::string& query) {
  std::vector<std::string> names;
  if (query.starts_with('@')) return names;
  std::string name;
  for (const char c : query + " ") {
    if (std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '-' || c == '_' || c == '.') {
      name += c;
    } else if (!name.empty()) {
      if (name != "any" && name != "none") names.push_back(name);
      name.clear();
    }
  }
  return names;
}

namespace {

struct Use {
  Place place;
  std::string by;  // "reaction 'hit'"
};

template <int D>
std::vector<std::pair<std::string, Use>> queries(const Checking<D>& c) {
  std::vector<std::pair<std::string, Use>> all;
  for (std::size_t i = 0; i < c.scene.reactions.size(); ++i) {
    const Reaction<D>& r = c.scene.reactions[i];
    const Use use{c.place_of(i), fmt::format("reaction '{}'", r.name)};
    all.emplace_back(r.self, Use{c.place_of(i, {"self"}), use.by});
    all.emplace_back(r.other, Use{c.place_of(i, {"other"}), use.by});
    if (const auto* count = std::get_if<OnCount>(&r.when)) all.emplace_back(count->query, use);
    for (const auto* list : {&r.all, &r.any, &r.none})
      for (const Condition& condition : *list)
        if (condition.kind != Condition::Kind::number && condition.kind != Condition::Kind::state)
          all.emplace_back(condition.query, use);
    for (const Effect& e : r.effects) {
      if (const Target* t = target_of(e); t != nullptr && t->kind == Target::Kind::all)
        all.emplace_back(t->who, use);
      if (const auto* retag = std::get_if<effects::Retag>(&e.what))
        for (const std::string& tag : retag->take) all.emplace_back(tag, use);
    }
  }
  for (const Known<D>& k : c.all)
    for (const ColliderDef<D>& collider : k.def->colliders)
      all.emplace_back(collider.meets, Use{k.at({"collider.meets", "colliders"}),
                                           fmt::format("the filter of {}", k.def->name)});
  for (const Expectation<D>& e : c.scene.expectations) {
    const Use use{e.place, "an expectation"};
    if (const auto* r = std::get_if<ExpectReaction>(&e.what)) {
      all.emplace_back(r->self, use);
      all.emplace_back(r->other, use);
    } else if (const auto* contact = std::get_if<ExpectContact>(&e.what)) {
      all.emplace_back(contact->first, use);
      all.emplace_back(contact->second, use);
    } else if (const auto* count = std::get_if<ExpectCount>(&e.what)) {
      all.emplace_back(count->query, use);
    } else if (const auto* walker = std::get_if<ExpectWalker>(&e.what)) {
      all.emplace_back(walker->on, use);
    }
  }
  return all;
}

}  // namespace

template <int D>
void check_tags(Checking<D>& c) {
  TagSet carried = c.given;
  for (const Known<D>& k : c.all) carried = carried.merged(k.tags);
  std::set<std::string> meant;
  std::set<std::string> lost;
  std::vector<std::string> carried_names;
  for (const Tag tag : carried.list()) carried_names.push_back(c.tags().name(tag));
  for (const auto& [query, use] : queries(c))
    for (const std::string& name : names_in(query)) {
      meant.insert(name);
      const Result<Tag> tag = c.tags().find(name);
      if (!tag || carried.contains(tag.value())) continue;
      // An object of that name has lost it, or was never given it.
      const auto named = std::find_if(c.all.begin(), c.all.end(), [&](const Known<D>& k) {
        return k.def->name == name || k.def->kind == name;
      });
      if (named == c.all.end())
        c.add("tag-of-nobody", use.place, name,
              fmt::format("{} means '{}', and nobody has that tag", use.by, name),
              suggestion(name, carried_names, "give the tag to those that are meant"));
      else if (lost.insert(name).second)
        c.add("tag-of-nobody", named->at({"tags"}), name,
              fmt::format("{} means '{}', and nobody has that tag, not even {}", use.by, name,
                          named->def->name),
              fmt::format("tags = [\"{}\"] on {}, or on those that are meant", name,
                          named->def->name));
    }
  for (std::size_t i = 0; i < c.scene.tags.size(); ++i) {
    const std::string& name = c.scene.tags[i].first;
    const Result<Tag> tag = c.tags().find(name);
    if (tag && !carried.contains(tag.value()) && !meant.contains(name) &&
        i < c.scene.tag_places.size())
      c.add("tag-unused", c.scene.tag_places[i], name,
            fmt::format("the tag '{}' is declared, and used nowhere", name),
            "take it out, or give it to those that it is for");
  }
}

namespace {

struct Kept {
  std::string reason{};  // "": two do meet
  Place place{};         // of the filter that refuses, if one does
};

// The first reason why no two of these meet.
template <int D>
Kept refusal(const Checking<D>& c, const std::vector<const Known<D>*>& first,
             const std::vector<const Known<D>*>& second, std::optional<Channel> channel) {
  Kept kept;
  std::string& reason = kept.reason;
  for (const Known<D>* a : first)
    for (const Known<D>* b : second) {
      if (a == b) continue;
      for (const Party& p : a->parties)
        for (const Party& q : b->parties) {
          const Verdict v = decide(p, q);
          if (v.meet && channel.value_or(v.channel) == v.channel) return {};
          if (!reason.empty()) continue;
          if (v.by == DecidedBy::first_refuses || v.by == DecidedBy::second_refuses)
            kept.place = (v.by == DecidedBy::first_refuses ? a : b)
                             ->at({"collider.meets", "colliders", "collider"});
          reason = v.meet ? fmt::format("{} and {} touch as {}", a->def->name, b->def->name,
                                        name_of(v.channel))
                          : explain(v, p, a->def->name, q, b->def->name, c.tags());
        }
      if (reason.empty() && (a->parties.empty() || b->parties.empty()))
        reason = fmt::format("{} has no collider", (a->parties.empty() ? a : b)->def->name);
    }
  if (reason.empty()) reason = "only one object is meant";
  return kept;
}

bool removes_or_hurts(const Effect& e) {
  return std::holds_alternative<effects::Remove>(e.what) ||
         std::holds_alternative<effects::Hide>(e.what) ||
         std::holds_alternative<effects::Damage>(e.what);
}

template <int D>
void check_reaction(Checking<D>& c, std::size_t i) {
  const Reaction<D>& r = c.scene.reactions[i];
  const auto* touch = std::get_if<OnTouch>(&r.when);
  if (touch == nullptr) return;
  const Who self = Who::parse(r.self, c.tags()).value();
  const Who other = Who::parse(r.other, c.tags()).value();
  const auto selves = c.meant(self);
  const auto others = c.meant(other);
  for (const auto& [list, who] : {std::pair(&selves, &self), std::pair(&others, &other)})
    if (list->empty())
      return c.add("reaction-never", c.place_of(i, {list == &selves ? "self" : "other"}), r.name,
                   fmt::format("'{}' can never fire: nobody is '{}'", r.name, who->text()),
                   "give the tags to those that are meant, or name others");
  if (const Kept kept = refusal(c, selves, others, touch->channel); !kept.reason.empty())
    return c.add("reaction-never", kept.place.line > 0 ? kept.place : c.place_of(i, {"channel"}),
                 r.name, fmt::format("'{}' can never fire: {}", r.name, kept.reason),
                 "change what keeps them apart, or whom the reaction is for");
  // One that is meant as what is collected or hit takes scenery too.
  for (const Effect& e : r.effects) {
    const Target* target = removes_or_hurts(e) ? target_of(e) : nullptr;
    if (target == nullptr ||
        (target->kind != Target::Kind::other && target->kind != Target::Kind::self))
      continue;
    const bool of_other = target->kind == Target::Kind::other;
    if ((of_other ? r.other : r.self) != "any") continue;
    for (const Known<D>* k : of_other ? others : selves)
      if (!k->spawned && k->def->body == BodyKind::fixed &&
          std::any_of(k->parties.begin(), k->parties.end(),
                      [](const Party& p) { return !p.zone; }) &&
          refusal(c, of_other ? selves : std::vector<const Known<D>*>{k},
                  of_other ? std::vector<const Known<D>*>{k} : others, touch->channel)
              .reason.empty())
        return c.add("reaction-too-wide", c.place_of(i, {of_other ? "other" : "self"}), r.name,
                     fmt::format("'{}' is for any {}, so it takes {} too", r.name,
                                 of_other ? "other" : "self", k->def->name),
                     "name the tags of those that are meant");
  }
}

// Tags that a filter names, of which everybody refuses all that have this filter.
template <int D>
void check_filters(Checking<D>& c) {
  std::set<std::string> seen;
  for (const Known<D>& k : c.all)
    for (const Party& p : k.parties) {
      if (!seen.insert(p.meets.text()).second) continue;
      for (const std::string& name : names_in(p.meets.text())) {
        const Tag tag = c.tags().find(name).value();
        std::string refused;
        bool met = false;
        for (const Known<D>& own : c.all)
          for (const Party& mine : own.parties)
            for (const Known<D>& other : c.all)
              for (const Party& theirs : other.parties) {
                if (met || &own == &other || !(mine.meets == p.meets) || !theirs.tags.contains(tag))
                  continue;
                const Verdict v = decide(mine, theirs);
                met = met || v.meet || v.by != DecidedBy::second_refuses;
                if (refused.empty() && !met)
                  refused = fmt::format(
                      "{} meets '{}', but {}", own.def->name, p.meets.text(),
                      explain(v, mine, own.def->name, theirs, other.def->name, c.tags()));
              }
        if (!met && !refused.empty())
          c.add("one-sided-filter", k.at({"collider.meets", "colliders"}), k.def->name, refused,
                "let both accept each other, or neither");
      }
    }
}

}  // namespace

template <int D>
void check_pairs(Checking<D>& c) {
  for (std::size_t i = 0; i < c.scene.reactions.size(); ++i) check_reaction(c, i);
  for (const Known<D>& k : c.all) {
    for (std::size_t n = 0; n < k.parties.size(); ++n) {
      if (!k.parties[n].zone || k.parties[n].meets.text() == "none") continue;
      const bool carries = k.def->colliders[n].field.has_value();
      const bool met = std::any_of(c.all.begin(), c.all.end(), [&](const Known<D>& other) {
        return std::any_of(other.parties.begin(), other.parties.end(), [&](Party p) {
          p.tags = p.tags.merged(c.given);
          return &other != &k && (decide(k.parties[n], p).meet || decide(p, k.parties[n]).meet);
        });
      });
      if (!met && !carries)
        c.add("zone-of-nobody", k.at({"collider.meets", "collider"}), k.def->name,
              fmt::format("nobody can set off the zone of {}", k.def->name),
              "let its filter accept those that are meant, and theirs accept it");
    }
  }
  check_filters(c);
}

template void check_tags(Checking<2>& c);
template void check_tags(Checking<3>& c);
template void check_pairs(Checking<2>& c);
template void check_pairs(Checking<3>& c);

}  // namespace colvik::reasons
