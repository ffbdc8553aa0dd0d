// Puts the page together: its parts are files beside this one, the data is JSON.
#include <colvik/replay.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <map>
#include <sstream>

#include "picture/extent.h"
#include "picture/page/parts.h"
#include "picture/page/shapes.h"

namespace colvik {

namespace {

using Json = nlohmann::json;

template <int D>
struct Scale {
  Vec<D> origin = kZero;
  double unit = 1;
  double turn = 1.0 / 8192;
};

std::string base64(const std::string& bytes) {
  constexpr std::string_view kDigits =
      "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string out;
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    std::uint32_t three = 0;
    for (std::size_t k = 0; k < 3; ++k)
      three = three << 8 | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U);
    for (std::size_t k = 0; k < 4; ++k)
      out += i + k > bytes.size() ? '=' : kDigits[three >> (18 - 6 * k) & 63U];
  }
  return out;
}

// Seven bits a byte, the lowest first; the lowest bit of a whole number is its sign.
void put(std::string& out, std::int64_t value) {
  auto rest = static_cast<std::uint64_t>(value < 0 ? -2 * value - 1 : 2 * value);
  for (; rest > 127; rest >>= 7) out += static_cast<char>(128U | (rest & 127U));
  out += static_cast<char>(rest);
}

template <int D>
std::string pack(std::span<const typename Trace<D>::Sample> samples, const Scale<D>& scale) {
  constexpr std::size_t kParts = D == 2 ? 3 : 7;
  std::string out;
  std::array<std::int64_t, kParts> before{};
  std::array<std::int64_t, kParts> rate{};
  std::uint64_t step = 0;
  for (const auto& s : samples) {
    std::array<double, kParts> parts{};
    for (int k = 0; k < D; ++k)
      parts[static_cast<std::size_t>(k)] = (s.pose.position[k] - scale.origin[k]) / scale.unit;
    if constexpr (D == 2) {
      double angle = s.pose.rotation.angle();  // the nearest to the one before
      angle +=
          2 * kPi * std::round((static_cast<double>(before[2]) * scale.turn - angle) / (2 * kPi));
      parts[2] = angle / scale.turn;
    } else {
      const Rotation<3>& q = s.pose.rotation;
      parts[3] = q.x() / scale.turn;
      parts[4] = q.y() / scale.turn;
      parts[5] = q.z() / scale.turn;
      parts[6] = q.w() / scale.turn;
    }
    const bool next = s.step - step == 1;
    put(out, static_cast<std::int64_t>(s.step - step));
    step = s.step;
    for (std::size_t k = 0; k < kParts; ++k) {
      const std::int64_t now = std::llround(parts[k]);
      put(out, now - before[k] - (next ? rate[k] : 0));
      rate[k] = now - before[k];
      before[k] = now;
    }
  }
  return base64(out);
}

std::vector<std::string> tag_names(const TagSet& set, const Tags& tags) {
  std::vector<std::string> names;
  for (const Tag tag : set.list()) names.push_back(tags.name(tag));
  return names;
}

Json index_of(std::uint32_t object) { return object == kNobody ? Json(-1) : Json(object); }

// Step, which, whether it is on, its scale.
Json change_json(const TraceColliderChange& c) {
  return {c.step, c.collider, c.on ? 1 : 0, c.scale};
}

// What changed of it but its place: its colliders, when it slept, its tags, how it stood.
template <int D>
void add_states(const Trace<D>& trace, std::uint32_t index, Json& j) {
  const TraceObject<D>& o = trace.objects()[index];
  Json asleep = Json::array();
  for (const auto& s : trace.samples(index)) {
    const bool sleeping = !asleep.empty() && asleep.back().size() == 1;
    if (s.asleep && !sleeping) asleep.push_back({s.step});
    if (!s.asleep && sleeping) asleep.back().push_back(s.step);
  }
  if (!asleep.empty() && asleep.back().size() == 1)
    asleep.back().push_back(std::min(o.gone, trace.steps() + 1));
  if (!asleep.empty()) j["asleep"] = asleep;
  for (const TraceColliderChange& c : trace.collider_changes(index))
    j["changed"].push_back(change_json(c));
  if (trace.tag_changes(index).size() > 1)
    for (const auto& [step, tags] : trace.tag_changes(index))
      j["tagged"].push_back({step, tag_names(tags, trace.tags())});
  bool standing = false;
  for (const auto& w : trace.walk_changes(index)) {
    if (j.contains("stands") && standing == w.standing && j["stands"].back()[2] == index_of(w.on))
      continue;
    standing = w.standing;
    j["stands"].push_back({w.step, w.standing ? 1 : 0, index_of(w.on)});
  }
}

// A PNG for the page to show; "" if it cannot be read.
std::string picture_data(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  std::stringstream read;
  read << file.rdbuf();
  constexpr std::string_view kPng = "\x89PNG";
  const std::string bytes = read.str();
  return bytes.starts_with(kPng) ? "data:image/png;base64," + base64(bytes) : "";
}

template <int D>
Json drawings_of(const TraceObject<D>& o) {
  Json all = Json::array();
  for (const Drawing<D>& d : o.drawings)
    if (D == 2 && !d.size.isZero())
      all.push_back({{"size", page::vector_json<D>(d.size)},
                     {"at", page::vector_json<D>(d.at)},
                     {"picture", d.picture},
                     {"mirrored", o.mirrored}});
  return all;
}

template <int D>
Json object_of(const Trace<D>& trace, std::uint32_t index, const Scale<D>& scale,
               bool live = false) {
  const TraceObject<D>& o = trace.objects()[index];
  Json colliders = Json::array();
  bool zone = !o.colliders.empty();
  double reach = 0.001 * trace.metre();
  Bounds<D> around = Bounds<D>{}.merged(Vec<D>(kZero));
  for (std::size_t i = 0; i < o.colliders.size(); ++i) {
    const ColliderDef<D>& c = o.colliders[i];
    zone = zone && c.zone;
    colliders.push_back(page::collider_json(c, trace.metre()));
    colliders.back()["at"] = page::vector_json<D>(c.at);
    const double scale_now = trace.collider_state_at(index, i, kNever).scale;
    colliders.back()["scale"] = scale_now;
    const Bounds<D> own = bounds(c.shape, Pose<D>{c.at, c.turned});
    double largest = 1;
    for (const TraceColliderChange& change : trace.collider_changes(index))
      if (change.collider == i) largest = std::max(largest, change.scale / scale_now);
    reach = std::max({reach, largest * own.lo.norm(), largest * own.hi.norm()});
    if (c.shape.kind != ShapeKind::half_space)
      around = around.merged(
          bounds(c.shape, Pose<D>{kZero, o.first_pose.rotation} * Pose<D>{c.at, c.turned}));
  }
  Json hidden = Json::array();
  const auto samples = live ? decltype(trace.samples(index)){} : trace.samples(index);
  for (std::size_t i = 0; i < samples.size(); ++i)
    if (!samples[i].shown)
      hidden.push_back(
          {samples[i].step, i + 1 < samples.size() ? samples[i + 1].step : trace.steps() + 1});
  Json j = {{"name", o.name},
            {"kind", o.kind},
            {"body", name_of(o.body)},
            {"tags", tag_names(o.tags, trace.tags())},
            {"zone", zone},
            {"reach", std::min(reach, 1e6 * trace.metre())},
            {"tall", std::min(around.size()[1] / 2, 1e6)},
            {"born", o.born},
            {"gone", o.gone == kNever ? Json(-1) : Json(o.gone)},
            {"samples", samples.size()},
            {"packed", pack<D>(samples, scale)},
            {"colliders", colliders}};
  if (!hidden.empty()) j["hidden"] = hidden;
  if (const Json drawings = drawings_of(o); !drawings.empty()) j["drawings"] = drawings;
  if (!live) add_states(trace, index, j);
  return j;
}

template <int D>
Json events_of(const Trace<D>& trace, std::size_t from_touch = 0, std::size_t from_firing = 0) {
  std::vector<Json> events;
  const auto name = [&](std::uint32_t i) { return trace.objects()[i].name; };
  for (std::size_t i = from_touch; i < trace.touches().size(); ++i) {
    const TraceTouch& t = trace.touches()[i];
    if (t.phase == Phase::during) continue;
    const auto& place = trace.touch_places()[i];
    const bool begin = t.phase == Phase::begin;
    Json e = {{"kind", begin ? "begin" : "end"},
              {"channel", name_of(t.channel)},
              {"step", t.step},
              {"time", t.time},
              {"self", t.self},
              {"other", t.other},
              {"text", begin ? fmt::format("{} touch  {} with {}", name_of(t.channel), name(t.self),
                                           name(t.other))
                             : fmt::format("end  {} with {} ({})", name(t.self), name(t.other),
                                           name_of(t.why))}};
    if (t.impulse > 0) e["impulse"] = t.impulse;
    if (begin) {
      e["at"] = page::vector_json<D>(place.point);
      e["normal"] = page::vector_json<D>(place.normal);
    }
    events.push_back(std::move(e));
  }
  for (const TraceFiring<D>& f : trace.firings().subspan(from_firing)) {
    const std::string& reaction = trace.reactions()[f.reaction].name;
    std::string text = reaction;
    if (f.self != kNobody) text += "  " + name(f.self);
    if (f.other != kNobody) text += " with " + name(f.other);
    Json e = {{"kind", "fired"}, {"reaction", reaction},     {"step", f.step},
              {"time", f.time},  {"self", index_of(f.self)}, {"other", index_of(f.other)},
              {"text", text}};
    if (f.place) e["at"] = page::vector_json<D>(*f.place);
    events.push_back(std::move(e));
  }
  std::stable_sort(events.begin(), events.end(), [](const Json& a, const Json& b) {
    return a["time"].template get<double>() < b["time"].template get<double>();
  });
  return events;
}

template <int D>
Json numbers_of(const Trace<D>& trace) {
  std::map<std::pair<std::uint32_t, std::string>, Json> series;
  for (const TraceNumber& n : trace.number_changes()) {
    Json& j = series[{n.object, n.name}];
    if (j.is_null())
      j = {{"name", n.name},
           {"object", index_of(n.object)},
           {"steps", Json::array()},
           {"values", Json::array()}};
    j["steps"].push_back(n.step);
    j["values"].push_back(n.value);
  }
  Json list = Json::array();
  for (auto& [key, j] : series) list.push_back(std::move(j));
  return list;
}

template <int D>
Json run_of(const Trace<D>& trace, const Scale<D>& scale, const std::vector<Judged>& verdicts) {
  Json objects = Json::array();
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i)
    objects.push_back(object_of(trace, i, scale));
  Json reactions = Json::array();
  for (const ReactionReport& r : trace.reactions()) reactions.push_back(r.name);
  Json judged = Json::array();
  for (const Judged& v : verdicts) {
    Json j = {{"text", v.text}, {"met", v.met}, {"why", v.why}};
    if (!v.reaction.empty()) {
      j["reaction"] = v.reaction;
      j["from"] = v.from;
      j["to"] = std::min(v.to, trace.time());
    }
    judged.push_back(std::move(j));
  }
  return {{"steps", trace.steps()},
          {"rate", trace.rate()},
          {"unit", scale.unit},
          {"turn", scale.turn},
          {"origin", page::vector_json<D>(scale.origin)},
          {"objects", objects},
          {"reactions", reactions},
          {"events", events_of(trace)},
          {"numbers", numbers_of(trace)},
          {"verdicts", judged}};
}

template <int D>
Json sample_of(std::uint32_t object, const typename Trace<D>::Sample& s) {
  Json j = {object, s.step, s.shown ? 1 : 0};
  const auto put = [&](double v) { j.push_back(std::round(v * 1e5) / 1e5); };
  for (int k = 0; k < D; ++k) put(s.pose.position[k]);
  const auto& q = s.pose.rotation;
  if constexpr (D == 2) put(q.angle());
  else
    for (const double part : {q.x(), q.y(), q.z(), q.w()}) put(part);
  return j;
}

void replace(std::string& text, std::string_view what, const std::string& by) {
  const std::size_t at = text.find(what);
  if (at != std::string::npos) text.replace(at, what.size(), by);
}

std::string escaped(const std::string& text) {
  std::string out;
  for (const char c : text)
    if (c == '&') out += "&amp;";
    else if (c == '<') out += "&lt;";
    else out += c;
  return out;
}

}  // namespace

template <int D>
Result<std::string> replay_page(const Trace<D>& trace, const ReplayOptions<D>& options) {
  if (D == 3 && page::part("three").empty())
    return Error{"the page", "needs three.js in 3D, and the library was built without it",
                 "a build with libjs-three installed"};
  const Bounds<D> view = options.view.value_or(picture::everything(trace));
  const Scale<D> scale{view.centre(), trace.metre() / 4096};
  Json runs = Json::array({run_of(trace, scale, options.verdicts)});
  if (options.against != nullptr) runs.push_back(run_of(*options.against, scale, {}));
  const Vec<D>& gravity = trace.gravity();
  const Vec<D> up = gravity.isZero(0) ? Vec<D>(Vec<D>::Unit(1)) : Vec<D>(-gravity);
  Json data = {{"dimension", D},
               {"metre", trace.metre()},
               {"down", D == 2 && gravity[1] > 0},
               {"up", page::vector_json<D>(up)},
               {"tags", trace.tags().names()},
               {"view", {page::vector_json<D>(view.lo), page::vector_json<D>(view.hi)}},
               {"runs", runs}};
  for (const TraceObject<D>& o : trace.objects())
    for (const Drawing<D>& d : o.drawings)
      if (D == 2 && !d.picture.empty() && !data["pictures"].contains(d.picture))
        data["pictures"][d.picture] = picture_data(d.picture);
  if (!options.live.empty()) data["live"] = Json::parse(options.live, nullptr, false);
  std::string json = data.dump(-1, ' ', false, Json::error_handler_t::replace);
  for (std::size_t at = 0; (at = json.find("</", at)) != std::string::npos;)
    json.replace(at, 2, "<\\/");  // no end of the script
  std::string script;
  for (const char* part : {"data", "state", "flat", D == 3 ? "solid" : "", "list", "timeline",
                           "main", options.live.empty() ? "" : "live"})
    script += page::part(part);
  std::string page = page::part("page");
  replace(page, "@SCRIPT@", script);
  std::string three;
  if (D == 3) {
    three = "<!-- three.js, (c) 2010-2019 three.js authors, MIT license -->\n";
    for (const char* part : {"three", "three_hull", "three_convex"})
      three += "<script>" + page::part(part) + "</script>\n";
  }
  replace(page, "@THREE@", three);
  replace(page, "@STYLE@", page::part("style"));
  replace(page, "@TITLE@", escaped(options.title));
  replace(page, "@TITLE@", escaped(options.title));
  replace(page, "@DATA@", json);
  return page;
}

template <int D>
std::string replay_update(const Trace<D>& trace, ReplayCursor& cursor) {
  Json objects = Json::array();
  for (std::size_t i = cursor.objects; i < trace.objects().size(); ++i)
    objects.push_back(object_of<D>(trace, static_cast<std::uint32_t>(i), {}, true));
  Json samples = Json::array();
  Json gone = Json::array();
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i) {
    const auto all = trace.samples(i);
    const bool fresh = i >= cursor.objects;
    std::size_t from = all.size();
    while (from > 0 && (fresh || all[from - 1].step > cursor.steps)) --from;
    for (; from < all.size(); ++from) samples.push_back(sample_of<D>(i, all[from]));
    const std::uint64_t end = trace.objects()[i].gone;
    if (end != kNever && (fresh || end > cursor.steps)) gone.push_back({i, end});
  }
  Json changed = Json::array();
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i)
    for (const TraceColliderChange& c : trace.collider_changes(i))
      if (i >= cursor.objects || c.step > cursor.steps) changed.push_back({i, change_json(c)});
  const std::vector<TraceNumber> changes = trace.number_changes();
  Json numbers = Json::array();
  for (const TraceNumber& n : changes)
    if (n.step > cursor.steps || cursor.numbers == 0)
      numbers.push_back({index_of(n.object), n.name, n.step, n.value});
  const Json update = {{"steps", trace.steps()},
                       {"objects", objects},
                       {"samples", samples},
                       {"gone", gone},
                       {"changed", changed},
                       {"numbers", numbers},
                       {"events", events_of(trace, cursor.touches, cursor.firings)},
                       {"outcome", trace.outcome().value_or("")}};
  cursor = {trace.steps(), trace.objects().size(), trace.touches().size(), trace.firings().size(),
            changes.size()};
  return update.dump(-1, ' ', false, Json::error_handler_t::replace);
}
template std::string replay_update(const Trace<2>&, ReplayCursor&);
template std::string replay_update(const Trace<3>&, ReplayCursor&);

template <int D>
Result<void> write_replay(const Trace<D>& trace, const std::string& path,
                          const ReplayOptions<D>& options) {
  const Result<std::string> page = replay_page(trace, options);
  if (!page) return page.error();
  std::ofstream file(path, std::ios::binary);
  file << page.value();
  if (!file.flush()) return Error{path, "cannot be written", "a path in a folder that is there"};
  return {};
}

template Result<std::string> replay_page(const Trace<2>&, const ReplayOptions<2>&);
template Result<void> write_replay(const Trace<2>&, const std::string&, const ReplayOptions<2>&);
template Result<std::string> replay_page(const Trace<3>&, const ReplayOptions<3>&);
template Result<void> write_replay(const Trace<3>&, const std::string&, const ReplayOptions<3>&);

}  // namespace colvik
