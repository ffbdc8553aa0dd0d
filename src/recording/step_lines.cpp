#include "recording/step_lines.h"

#include <colvik/lines.hpp>
#include <colvik/saved.hpp>

#include <nlohmann/json.hpp>

#include <charconv>
#include <cmath>

namespace colvik::recording {

namespace {

using Json = nlohmann::json;

constexpr double kUnknownHeight = -1e300;

std::int64_t units(double value) {
  constexpr double kMost = 9e15;  // beyond, doubles are not whole any more
  return std::lrint(std::clamp(value, -kMost, kMost));
}

// Of the angles that are the same turn the one that is nearest to where it turned from.
double angle_from(double before, const Rotation<2>& from, const Rotation<2>& to) {
  const Vec<2> a = from.axis(0);
  const Vec<2> b = to.axis(0);
  const double x = a.x() * b.y() - a.y() * b.x();
  if (std::abs(x) < 0.25 && a.dot(b) > 0) {  // the arc sine as a series, to the 10th digit
    constexpr std::array kTerms{10395.0 / 599040, 945.0 / 42240, 105.0 / 3456,
                                15.0 / 336,       3.0 / 40,      1.0 / 6};
    double sum = 0;
    for (const double term : kTerms) sum = x * x * (term + sum);
    return before + x + x * sum;
  }
  const double angle = to.angle();
  return angle + 2 * kPi * std::round((before - angle) / (2 * kPi));
}

template <int D>
Json reactions_of(const Rules<D>& rules, std::size_t from) {
  Json all = Json::array();
  for (std::size_t i = from; i < rules.reports().size(); ++i) {
    const ReactionReport& r = rules.reports()[i];
    Json j = {{"name", r.name}, {"self", r.self.text()}, {"other", r.other.text()}};
    if (const auto* touch = std::get_if<OnTouch>(&r.when)) {
      j["touch"] = name_of(touch->phase);
      if (touch->channel) j["channel"] = name_of(*touch->channel);
    }
    all.push_back(j);
  }
  return all;
}

Json tags_from(const Tags& tags, std::size_t from) {
  Json all = Json::array();
  for (std::size_t i = from; i < tags.names().size(); ++i)
    all.push_back({tags.names()[i], tags.meaning({static_cast<std::uint32_t>(i)})});
  return all;
}

template <int D>
Json json_of(const Vec<D>& v) {
  Json j = Json::array();
  for (int k = 0; k < D; ++k) j.push_back(v[k]);
  return j;
}

}  // namespace

std::string hexadecimal(std::span<const std::byte> bytes) {
  constexpr std::string_view kDigits = "0123456789abcdef";
  std::string out;
  for (const std::byte b : bytes) {
    out += kDigits[std::to_integer<unsigned>(b) >> 4];
    out += kDigits[std::to_integer<unsigned>(b) & 15U];
  }
  return out;
}

template <int D>
StepLines<D>::StepLines(const World<D>& world, const Rules<D>& rules)
    : world_(world),
      rules_(rules),
      tags_said_(world.tags().names().size()),
      reactions_said_(rules.reports().size()) {}

template <int D>
void StepLines<D>::reserve(std::size_t bytes) {
  line_.reserve(bytes);
  for (List& list : lists_) list.text.reserve(bytes);
}

template <int D>
std::string StepLines<D>::head(const RecordingAbout<D>& about, double since) const {
  const WorldSettings<D>& settings = world_.settings();
  Json j = {{"colvik_recording", kVersion},
            {"dimensions", D},
            {"rate", settings.rate},
            {"metre", settings.metre},
            {"unit", settings.metre / kUnitsInMetre},
            {"turn_unit", kTurnUnit},
            {"gravity", json_of<D>(settings.gravity)},
            {"kinds", world_.kinds()},
            {"title", about.title},
            {"length", about.length},
            {"since", since}};
  if (about.view) j["view"] = {json_of<D>(about.view->lo), json_of<D>(about.view->hi)};
  const Json names = {{"tags", tags_from(world_.tags(), 0)},
                      {"reactions", reactions_of(rules_, 0)}};
  return j.dump() + '\n' + names.dump() + '\n';
}

template <int D>
std::string StepLines<D>::tail(std::span<const Judged> verdicts) const {
  Json counts = Json::array();
  for (const ReactionReport& r : rules_.reports())
    counts.push_back({r.fired, r.idle_effects, r.stopped_going, r.stopped_off, r.stopped_guard,
                      r.stopped_limit});
  Json judged = Json::array();
  for (const Judged& v : verdicts) {
    Json j = {{"text", v.text},
              {"met", v.met},
              {"why", v.why},
              {"reaction", v.reaction},
              {"from", v.from}};
    if (std::isfinite(v.to)) j["to"] = v.to;
    judged.push_back(j);
  }
  const Json end = {{"steps", steps()},
                    {"hash", fmt::format("{:016x}", state_hash(world_, rules_))},
                    {"left", world_.left_count()},
                    {"peak", peak_},
                    {"counts", counts},
                    {"expected", judged}};
  return Json{{"end", end}}.dump() + '\n';
}

template <int D>
std::string_view StepLines<D>::late_names() {
  late_.clear();
  const std::size_t tags = world_.tags().names().size();
  const std::size_t reactions = rules_.reports().size();
  if (tags != tags_said_ || reactions != reactions_said_) {
    const Json more = {{"tags", tags_from(world_.tags(), tags_said_)},
                       {"reactions", reactions_of(rules_, reactions_said_)}};
    fmt::format_to(std::back_inserter(late_), "{}\n", more.dump());
    tags_said_ = tags;
    reactions_said_ = reactions;
  }
  return {late_.data(), late_.size()};
}

template <int D>
void StepLines<D>::begin_again() {
  before_ = said_;
  by_slot_.clear();
}

template <int D>
std::string_view StepLines<D>::step(bool whole) {
  said_ = steps();
  for (List& list : lists_) list.text.clear();
  descriptions_.clear();
  gone_.clear();
  moved_before_ = 0;
  world_.objects(ids_);
  for (const ObjectId id : ids_) note(id, whole);
  for (Known& known : by_slot_)
    if (known.live && !world_.alive(known.id)) note_gone(known);
  note_happenings();
  note_numbers(-1, world_.numbers(), world_numbers_, whole);
  peak_ = std::max(peak_, world_.count());

  line_.clear();
  fmt::format_to(std::back_inserter(line_), "{{\"step\":{}", steps());
  for (const List& list : lists_)
    if (list.text.size() > 0)
      fmt::format_to(std::back_inserter(line_), ",\"{}\":[{}]", list.key,
                     std::string_view(list.text.data(), list.text.size()));
  if (rules_.outcome() && *rules_.outcome() != outcome_) {
    outcome_ = *rules_.outcome();
    fmt::format_to(std::back_inserter(line_), ",\"outcome\":{}", Json(outcome_).dump());
  }
  fmt::format_to(std::back_inserter(line_), "}}\n");
  return {line_.data(), line_.size()};
}

template <int D>
auto StepLines<D>::note(ObjectId id, bool whole) -> Known& {
  const Object<D>& o = world_.object(id);
  if (id.slot >= by_slot_.size()) by_slot_.resize(id.slot + 1);
  Known& known = by_slot_[id.slot];
  const bool fresh = known.number == kNobody || known.id != id;
  if (fresh && known.live) note_gone(known);
  if (fresh) {
    std::vector<double> room = std::move(known.numbers);
    known = Known{};
    known.numbers = std::move(room);
    known.numbers.clear();
    known.id = id;
    known.number = next_number_++;
    known.live = true;
  }
  if (fresh || known.mirrored != o.mirrored) {
    known.mirrored = o.mirrored;
    descriptions_.push_back({known.number, describe(known, o)});
  }
  if (fresh || whole) {
    note_first(known, o);
  } else {
    note_pose(known, o);
    if (known.shown != o.active) say(shown, "[{},{:d}]", known.number, o.active);
    if (known.asleep != o.asleep) say(asleep, "[{},{:d}]", known.number, o.asleep);
    if (!(known.tags == o.tags)) {
      known.tags = o.tags;
      say(tagged, "[{},", known.number);
      append_tags(lists_[tagged].text, o.tags);
      lists_[tagged].text.push_back(']');
    }
  }
  known.shown = o.active;
  known.asleep = o.asleep;
  note_colliders(known, o, whole);
  note_numbers(known.number, o.numbers, known.numbers, whole || fresh);
  note_walking(id, o, whole);
  return by_slot_[id.slot];
}

// Where it is, not how that differs.
template <int D>
void StepLines<D>::note_first(Known& known, const Object<D>& o) {
  known.at = place(known, o.pose);
  known.rate = known.bend = {};
  known.moved_at = 0;
  known.tags = o.tags;
  say(objects, "[{},{:d},{:d},", known.number, o.active, o.asleep);
  append_tags(lists_[objects].text, o.tags);
  for (const std::int64_t part : known.at)
    fmt::format_to(std::back_inserter(lists_[objects].text), ",{}", part);
  lists_[objects].text.push_back(']');
}

template <int D>
PoseUnits<D> StepLines<D>::place(Known& known, const Pose<D>& pose) const {
  PoseUnits<D> out{};
  const double unit = world_.settings().metre / kUnitsInMetre;
  for (int k = 0; k < D; ++k) out[static_cast<std::size_t>(k)] = units(pose.position[k] / unit);
  if constexpr (D == 2) {
    known.angle = angle_from(known.angle, known.pose.rotation, pose.rotation);
    out[2] = units(known.angle / kTurnUnit);
  } else {
    const Rotation<3>& q = pose.rotation;
    const std::array<double, 4> parts{q.x(), q.y(), q.z(), q.w()};
    for (std::size_t k = 0; k < 4; ++k) out[3 + k] = units(parts[k] / kTurnUnit);
  }
  known.pose = pose;
  return out;
}

template <int D>
void StepLines<D>::note_pose(Known& known, const Object<D>& o) {
  if (known.pose.position == o.pose.position &&
      known.pose.rotation.axis(0) == o.pose.rotation.axis(0) &&
      known.pose.rotation.axis(1) == o.pose.rotation.axis(1))
    return;
  const PoseUnits<D> now = place(known, o.pose);
  if (now == known.at) return;
  if (known.moved_at + 1 != steps()) known.rate = known.bend = {};
  known.moved_at = steps();
  // Numbers come in order, mostly, so that differences are short; likewise the change of a pose is
  // said as it differs from the change before, and that of a quaternion, which bends as it turns,
  // from what that would have become.
  std::array<char, 21 * (1 + kPoseParts<D>)> text;
  char* end = text.data();
  const auto put = [&](std::int64_t value) {
    end = std::to_chars(end, text.data() + text.size(), value).ptr;
    *end++ = ',';
  };
  put(static_cast<std::int64_t>(known.number) - static_cast<std::int64_t>(moved_before_));
  moved_before_ = known.number;
  for (std::size_t k = 0; k < now.size(); ++k) {
    const std::int64_t change = now[k] - known.at[k];
    put(change - known.rate[k] - known.bend[k]);
    if (k >= kBentFrom) known.bend[k] = change - known.rate[k];
    known.rate[k] = change;
  }
  known.at = now;
  List& list = lists_[moved];
  list.next();
  list.text.append(text.data(), end - 1);
}

// A whole step says all of an object of which one ever changed: it was described when it came.
template <int D>
void StepLines<D>::note_colliders(Known& known, const Object<D>& o, bool whole) {
  const bool fresh = known.colliders.size() != o.colliders.size();
  known.colliders.resize(o.colliders.size());
  for (std::size_t i = 0; i < known.colliders.size(); ++i) {
    const std::pair now(o.colliders[i].def.on, o.colliders[i].scale);
    const bool differs = !fresh && known.colliders[i] != now;
    known.changed = known.changed || differs;
    if (differs || (whole && known.changed))
      say(changed, "[{},{},{:d},{}]", known.number, i, now.first, now.second);
    known.colliders[i] = now;
  }
}

template <int D>
void StepLines<D>::note_walking(ObjectId id, const Object<D>& o, bool whole) {
  const Walking<D>* const w = world_.walking(id);
  if (w == nullptr) return;
  std::int64_t on = -1;
  if (w->standing && world_.alive(w->on)) on = number_of(w->on);  // may make room for more
  Known& known = by_slot_[id.slot];
  double highest = w->standing ? o.pose.position.dot(w->up) : w->highest;
  if (world_.steps() == 0) highest = kUnknownHeight;  // it has not moved yet: up is not known
  if (known.walks) highest = std::max(highest, known.highest);
  if (known.walks && !whole && known.standing == w->standing && known.on == on &&
      known.highest == highest)
    return;
  known.walks = true;
  known.standing = w->standing;
  known.on = on;
  known.highest = highest;
  say(walkers, "[{},{:d},{},{}]", known.number, known.standing, on, highest);
}

template <int D>
void StepLines<D>::note_numbers(std::int64_t whose, std::span<const Number> now,
                                std::vector<double>& before, bool whole) {
  const bool all = whole || before.size() != now.size();
  for (std::size_t i = 0; i < now.size(); ++i)
    if (all || before[i] != now[i].value)
      say(numbers, "[{},\"{}\",{}]", whose, now[i].name, now[i].value);
  before.resize(now.size());
  for (std::size_t i = 0; i < now.size(); ++i) before[i] = now[i].value;
}

template <int D>
void StepLines<D>::note_gone(Known& known) {
  known.live = false;
  gone_.push_back(known.number);
  const std::optional<std::size_t> by = rules_.remover(known.id);
  say(gone_ones, "[{},{}]", known.number, by ? static_cast<std::int64_t>(*by) : -1);
}

// What came and was removed between two steps is noted now.
template <int D>
std::int64_t StepLines<D>::number_of(std::optional<ObjectId> id) {
  if (!id) return -1;
  if (id->slot < by_slot_.size() && by_slot_[id->slot].id == *id) return by_slot_[id->slot].number;
  Known& known = note(*id, false);
  if (!world_.alive(*id)) note_gone(known);
  return known.number;
}

template <int D>
void StepLines<D>::append_tags(fmt::memory_buffer& out, const TagSet& tags) const {
  out.push_back('[');
  bool first = true;
  for (std::size_t w = 0; w < tags.size_in_words(); ++w)
    for (std::uint32_t bit = 0; bit < 64; ++bit)
      if ((tags.word(w) >> bit & 1U) != 0) {
        if (!first) out.push_back(',');
        fmt::format_to(std::back_inserter(out), "{}", 64 * w + bit);
        first = false;
      }
  out.push_back(']');
}

template <int D>
void StepLines<D>::note_happenings() {
  const double earlier = static_cast<double>(before_) / world_.settings().rate;
  const auto append_place = [](fmt::memory_buffer& out, const Vec<D>& v) {
    for (int k = 0; k < D; ++k) {
      out.push_back(k == 0 ? '[' : ',');
      fmt::format_to(std::back_inserter(out), "{}", v[k]);
    }
    out.push_back(']');
  };
  for (const Event<D>& e : world_.events()) {
    const std::int64_t self = number_of(e.self);
    const std::int64_t other = number_of(e.other);
    fmt::memory_buffer& out = lists_[touches].text;
    say(touches, "[{},\"{}\",\"{}\",\"{}\",{},{},{},{},{},{},{:d},", earlier + e.time,
        name_of(e.phase), name_of(e.channel), name_of(e.why), self, other, e.self_collider,
        e.other_collider, e.approach_speed, e.impulse, e.again);
    append_tags(out, e.self_tags);
    out.push_back(',');
    append_tags(out, e.other_tags);
    out.push_back(',');
    append_place(out, e.point);
    out.push_back(',');
    append_place(out, e.normal);
    out.push_back(']');
  }
  for (const Firing<D>& f : rules_.fired()) {
    const std::int64_t self = number_of(f.self);
    const std::int64_t other = number_of(f.other);
    fmt::memory_buffer& out = lists_[fired].text;
    say(fired, "[{},{},{},{},", earlier + f.time, f.reaction, self, other);
    const TagSet none;
    append_tags(out, f.touch ? f.touch->self_tags : f.self ? by_slot_[f.self->slot].tags : none);
    out.push_back(',');
    append_tags(out, f.touch ? f.touch->other_tags : none);
    if (f.touch || f.self) {
      out.push_back(',');
      append_place(out, f.touch ? f.touch->point : world_.object(*f.self).pose.position);
    }
    out.push_back(']');
  }
  for (const Withheld& w : rules_.withheld()) {
    const std::int64_t self = number_of(w.self);
    const std::int64_t other = number_of(w.other);
    say(withheld, "[{},{},{},{},{}]", earlier + w.time, w.reaction,
        w.claimed_by ? static_cast<std::int64_t>(*w.claimed_by) : -1, self, other);
  }
}

template <int D>
std::string StepLines<D>::describe(const Known& known, const Object<D>& o) const {
  std::vector<ColliderDef<D>> defs;
  Json outline = Json::array();
  Json zones = Json::array();
  Json scales = Json::array();
  for (const Collider<D>& c : o.colliders) {
    defs.push_back(c.def);
    zones.push_back(c.def.zone);
    scales.push_back(c.scale);
    std::vector<Line<D>> lines;
    collider_lines(c.def, Pose<D>{}, 0, known.id, lines);
    Json drawn = Json::array();
    for (const Line<D>& l : lines) {
      Json both = json_of<D>(l.from);
      for (const Json& x : json_of<D>(l.to)) both.push_back(x);
      drawn.push_back(both);
    }
    outline.push_back(drawn);
  }
  Json drawings = Json::array();
  for (const Drawing<D>& d : o.drawings)
    drawings.push_back(
        {{"size", json_of<D>(d.size)}, {"picture", d.picture}, {"at", json_of<D>(d.at)}});
  Json j = {{"object", known.number}, {"name", o.name},
            {"kind", o.kind},         {"body", name_of(o.body)},
            {"mirrored", o.mirrored}, {"zones", zones},
            {"lines", outline},       {"colliders", hexadecimal(save_colliders<D>(defs))}};
  if (!drawings.empty()) j["drawings"] = drawings;
  if (std::any_of(scales.begin(), scales.end(), [](const Json& s) { return s != 1.0; }))
    j["scales"] = scales;
  const Party party = world_.party(known.id, 0);
  j["serial"] = party.object;
  j["family"] = party.family;
  if (party.meets_relatives) j["meets_relatives"] = true;
  return j.dump() + '\n';
}

template class StepLines<2>;
template class StepLines<3>;

}  // namespace colvik::recording
