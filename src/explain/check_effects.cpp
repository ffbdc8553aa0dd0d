// Effects that find nothing, and starts that wait for nothing.
#include <fmt/format.h>

#include <map>

#include "explain/checking.h"

namespace colvik::reasons {

const Target* target_of(const Effect& effect) {
  return std::visit(
      [](const auto& e) -> const Target* {
        if constexpr (requires { e.target; }) return &e.target;
        else return nullptr;
      },
      effect.what);
}

namespace {

template <int D>
bool has_number(const Known<D>& k, const std::string& name) {
  return std::any_of(k.def->numbers.begin(), k.def->numbers.end(),
                     [&](const Number& n) { return n.name == name; });
}

template <int D>
std::vector<std::string> numbers_of(const std::vector<const Known<D>*>& list) {
  std::vector<std::string> names;
  for (const Known<D>* k : list)
    for (const Number& n : k->def->numbers) names.push_back(n.name);
  return names;
}

template <int D>
struct EffectCheck {
  Checking<D>& c;
  std::size_t index;
  const Reaction<D>& r;
  std::string key;  // of the effect

  // Of self and other whom the reaction means by that.
  [[nodiscard]] std::string called(const Target& target) const {
    return target.kind == Target::Kind::self    ? r.self
           : target.kind == Target::Kind::other ? r.other
                                                : target.text();
  }
  // Those that it may be.
  [[nodiscard]] std::vector<const Known<D>*> whom(const Target& target) const {
    const Result<Who> who =
        Who::parse(target.kind == Target::Kind::all ? target.who : called(target), c.tags());
    return who ? c.meant(who.value()) : std::vector<const Known<D>*>{};
  }
  [[nodiscard]] Place place() const { return c.place_of(index, {key, "do"}); }
  void nothing(const std::string& what, const std::string& todo) {
    c.add("effect-finds-nothing", place(), r.name, what, todo);
  }
  // "self.charge" of those that self may be.
  void number(const std::string& number, const Target& each) {
    const std::size_t dot = number.find('.');
    if (dot == std::string::npos || number.starts_with("world.")) return;
    const std::string whose = number.substr(0, dot);
    const std::string name = number.substr(dot + 1);
    Target target = each;
    if (whose == "self") target = Target(Side::self);
    else if (whose == "other") target = Target(Side::other);
    else if (whose != "each") target = Target::object(whose.substr(1));
    has(target, name, fmt::format("'{}' changes {}", r.name, number));
  }
  void has(const Target& target, const std::string& name, const std::string& what) {
    const auto list = whom(target);
    if (list.empty() || std::any_of(list.begin(), list.end(),
                                    [&](const Known<D>* k) { return has_number(*k, name); }))
      return;
    nothing(fmt::format("{}, and none of '{}' has a number '{}'", what, called(target), name),
            suggestion(name, numbers_of(list), "numbers = { " + name + " = ... } on those"));
  }
  void spot(const Target& at, const std::string& name) {
    const auto list = whom(at);
    if (name.empty() || list.empty()) return;
    std::vector<std::string> known;
    for (const Known<D>* k : list)
      for (const Spot<D>& s : k->def->spots) known.push_back(s.name);
    if (std::find(known.begin(), known.end(), name) != known.end()) return;
    nothing(
        fmt::format("'{}' means the spot '{}', and none of '{}' has it", r.name, name, called(at)),
        suggestion(name, known, "spots = { " + name + " = [...] } on those"));
  }
  void moves(const Target& target, std::string_view what) {
    const auto list = whom(target);
    if (list.empty() || std::any_of(list.begin(), list.end(), [](const Known<D>* k) {
          return k->def->body != BodyKind::fixed;
        }))
      return;
    c.add("effect-on-static", place(), r.name,
          fmt::format("'{}' does '{}' with '{}', which is static", r.name, what, called(target)),
          "body = \"kinematic\" or \"dynamic\" on those, or another target");
  }
  void look(const Effect& e) {
    if (const auto* add = std::get_if<effects::Add>(&e.what)) number(add->number, add->each);
    if (const auto* set = std::get_if<effects::Set>(&e.what)) number(set->number, set->each);
    if (const auto* clamp = std::get_if<effects::Clamp>(&e.what))
      number(clamp->number, clamp->each);
    if (const auto* damage = std::get_if<effects::Damage>(&e.what))
      has(damage->target, std::string(kHealth), fmt::format("'{}' does damage", r.name));
    if (const auto* attach = std::get_if<effects::Attach>(&e.what)) spot(attach->to, attach->spot);
    if (const auto* teleport = std::get_if<effects::Teleport>(&e.what))
      if (const auto* to = std::get_if<effects::SpotOf>(&teleport->to)) spot(to->object, to->spot);
    if (const auto* spawn = std::get_if<effects::Spawn>(&e.what))
      if (const auto* at = std::get_if<effects::SpotOf>(&spawn->where)) spot(at->object, at->spot);
    if (const auto* change = std::get_if<effects::SwitchCollider>(&e.what)) {
      const auto list = whom(change->target);
      if (!list.empty() && std::none_of(list.begin(), list.end(), [&](const Known<D>* k) {
            return change->collider < k->def->colliders.size();
          }))
        nothing(fmt::format("'{}' switches collider {} of '{}', which has fewer", r.name,
                            change->collider + 1, called(change->target)),
                "a collider that is there");
    }
    if (std::holds_alternative<effects::Push>(e.what) ||
        std::holds_alternative<effects::PushAway>(e.what) ||
        std::holds_alternative<effects::Launch>(e.what) ||
        std::holds_alternative<effects::Send>(e.what) ||
        std::holds_alternative<effects::Bounce>(e.what))
      moves(*target_of(e), name_of(e));
    if (e.after > c.scene.length)
      c.add("after-the-end", place(), r.name,
            fmt::format("'{}' waits {:g} s with an effect, and the run is {:g} s long", r.name,
                        e.after, c.scene.length),
            "a shorter `after`, or a longer run");
  }
};

}  // namespace

namespace {

// What a side of a touch does next: of several such effects the last one counts.
const Target* sent(const Effect& e) {
  const bool sends = std::holds_alternative<effects::Send>(e.what) ||
                     std::holds_alternative<effects::Launch>(e.what) ||
                     std::holds_alternative<effects::Teleport>(e.what) ||
                     std::holds_alternative<effects::Stop>(e.what);
  return sends && e.after <= 0 ? target_of(e) : nullptr;
}

template <int D>
void check_competing(Checking<D>& c) {
  const std::vector<Reaction<D>>& all = c.scene.reactions;
  for (std::size_t i = 0; i < all.size(); ++i)
    for (std::size_t k = i + 1; k < all.size(); ++k) {
      const auto* first = std::get_if<OnTouch>(&all[i].when);
      const auto* second = std::get_if<OnTouch>(&all[k].when);
      const bool alike = first != nullptr && second != nullptr && first->phase == second->phase &&
                         all[i].self == all[k].self && all[i].other == all[k].other &&
                         all[i].all.empty() && all[k].all.empty() && all[i].none.empty() &&
                         all[k].none.empty();
      if (!alike) continue;
      for (const Effect& a : all[i].effects)
        for (const Effect& b : all[k].effects)
          if (const Target* x = sent(a), *y = sent(b);
              x != nullptr && y != nullptr && x->text() == y->text())
            c.add("reactions-compete", c.place_of(k, {"do"}), all[k].name,
                  fmt::format("'{}' and '{}' both say where '{}' goes at the same touch",
                              all[i].name, all[k].name, x->text()),
                  "one of the two, or a condition in each");
    }
}

}  // namespace

template <int D>
void check_effects(Checking<D>& c) {
  check_competing(c);
  for (std::size_t i = 0; i < c.scene.reactions.size(); ++i)
    for (std::size_t k = 0; k < c.scene.reactions[i].effects.size(); ++k)
      EffectCheck<D>{c, i, c.scene.reactions[i], fmt::format("do.{}", k + 1)}.look(
          c.scene.reactions[i].effects[k]);
}

namespace {

// What reactions give to each other, and to the outside.
template <int D>
struct Given {
  std::map<std::string, std::vector<std::size_t>> cues;
  std::set<std::string> numbers;  // last parts
  std::set<std::string> outcomes;

  explicit Given(const Scene<D>& scene) {
    for (std::size_t i = 0; i < scene.reactions.size(); ++i)
      for (const Effect& e : scene.reactions[i].effects) {
        if (const auto* cue = std::get_if<effects::Cue>(&e.what)) cues[cue->name].push_back(i);
        if (const auto* finish = std::get_if<effects::Finish>(&e.what))
          outcomes.insert(finish->outcome);
        const auto number = [&](const std::string& name) { numbers.insert(last_part(name)); };
        if (const auto* add = std::get_if<effects::Add>(&e.what)) number(add->number);
        if (const auto* set = std::get_if<effects::Set>(&e.what)) number(set->number);
        if (const auto* clamp = std::get_if<effects::Clamp>(&e.what)) number(clamp->number);
        if (std::holds_alternative<effects::Damage>(e.what)) numbers.emplace(kHealth);
      }
  }
};

template <int D>
void check_start(Checking<D>& c, std::size_t i, const Given<D>& given,
                 const std::vector<std::string>& inputs) {
  const Reaction<D>& r = c.scene.reactions[i];
  const auto never = [&](const std::string& what, const std::string& todo) {
    c.add("waits-for-nothing", c.place_of(i, {"when"}), r.name,
          fmt::format("'{}' {}", r.name, what), todo);
  };
  if (const auto* input = std::get_if<OnInput>(&r.when)) {
    if (std::find(inputs.begin(), inputs.end(), input->name) == inputs.end() && !inputs.empty())
      never(fmt::format("waits for the input '{}', which is never given", input->name),
            suggestion(input->name, inputs, "an [[inputs]] of that name"));
  } else if (const auto* cue = std::get_if<OnCue>(&r.when)) {
    std::vector<std::string> names;
    for (const auto& [name, by] : given.cues) names.push_back(name);
    if (!given.cues.contains(cue->name))
      never(fmt::format("waits for the cue '{}', which nobody sends", cue->name),
            suggestion(cue->name, names, "an effect { cue = \"" + cue->name + "\" }"));
  } else if (const auto* number = std::get_if<OnNumber>(&r.when)) {
    const std::string name = last_part(number->number);
    const std::vector<std::string> names(given.numbers.begin(), given.numbers.end());
    if (!given.numbers.contains(name))
      never(fmt::format("waits for {}, which nobody changes", number->number),
            suggestion(name, names, "an effect that changes it"));
  }
  double at = 0;
  if (const auto* time = std::get_if<OnTime>(&r.when)) at = time->at;
  if (const auto* every = std::get_if<OnInterval>(&r.when)) at = every->from;
  if (at > c.scene.length)
    c.add("after-the-end", c.place_of(i, {"when"}), r.name,
          fmt::format("'{}' starts at {:g} s, and the run is {:g} s long", r.name, at,
                      c.scene.length),
          "an earlier time, or a longer run");
}

}  // namespace

template <int D>
void check_waiting(Checking<D>& c) {
  const Given<D> given(c.scene);
  std::vector<std::string> inputs;
  for (const auto& i : c.scene.inputs) inputs.push_back(i.name);
  std::vector<std::string> heard_inputs;
  std::map<std::string, std::vector<std::size_t>> heard;
  for (std::size_t i = 0; i < c.scene.reactions.size(); ++i) {
    check_start(c, i, given, inputs);
    const Start& when = c.scene.reactions[i].when;
    if (const auto* cue = std::get_if<OnCue>(&when)) heard[cue->name].push_back(i);
    if (const auto* input = std::get_if<OnInput>(&when)) heard_inputs.push_back(input->name);
  }
  for (std::size_t i = 0; i < c.scene.inputs.size() && i < c.scene.input_places.size(); ++i) {
    const auto& input = c.scene.inputs[i];
    if (std::find(heard_inputs.begin(), heard_inputs.end(), input.name) == heard_inputs.end())
      c.add("heard-by-nobody", key_place(c.scene.input_keys, i, {"name"}, c.scene.input_places[i]),
            input.name, fmt::format("no reaction waits for the input '{}'", input.name),
            suggestion(input.name, heard_inputs, "a reaction with that input"));
    if (input.at > c.scene.length)
      c.add("after-the-end", key_place(c.scene.input_keys, i, {"at"}, c.scene.input_places[i]),
            input.name,
            fmt::format("the input '{}' is given at {:g} s, and the run is {:g} s long", input.name,
                        input.at, c.scene.length),
            "an earlier time, or a longer run");
  }
  for (const auto& [name, by] : given.cues) {
    if (!heard.contains(name))
      c.add("heard-by-nobody", c.place_of(by.front(), {"do"}), name,
            fmt::format("no reaction waits for the cue '{}'", name),
            "a reaction with when = { cue = \"" + name + "\" }");
    // Does one that hears it send it again, by whatever other cues?
    std::set<std::string> reached;
    std::vector<std::string> open{name};
    while (!open.empty()) {
      const std::string cue = open.back();
      open.pop_back();
      for (const std::size_t i : heard[cue]) {
        const Reaction<D>& r = c.scene.reactions[i];
        if (r.most || r.once == Once::ever || r.cooldown > 0) continue;
        for (const Effect& e : r.effects)
          if (const auto* sends = std::get_if<effects::Cue>(&e.what);
              sends != nullptr && e.after <= 0 && reached.insert(sends->name).second)
            open.push_back(sends->name);
      }
    }
    if (reached.contains(name))
      c.add("cue-circle", c.place_of(by.back(), {"do"}), name,
            fmt::format("the cue '{}' leads to itself again, in every step from then on", name),
            "most, once or cooldown in one of those reactions");
  }
  for (std::size_t i = 0; i < c.scene.expectations.size(); ++i) {
    const Expectation<D>& e = c.scene.expectations[i];
    if (const auto* outcome = std::get_if<ExpectOutcome>(&e.what);
        outcome != nullptr && !e.never && !given.outcomes.contains(outcome->outcome))
      c.add("outcome-never", key_place(c.scene.expectation_keys, i, {"outcome"}, e.place),
            outcome->outcome, fmt::format("no reaction finishes with '{}'", outcome->outcome),
            suggestion(outcome->outcome,
                       std::vector<std::string>(given.outcomes.begin(), given.outcomes.end()),
                       "an effect { finish = \"" + outcome->outcome + "\" }"));
  }
}

template void check_effects(Checking<2>& c);
template void check_effects(Checking<3>& c);
template void check_waiting(Checking<2>& c);
template void check_waiting(Checking<3>& c);

}  // namespace colvik::reasons
