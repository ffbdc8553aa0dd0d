#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <sstream>

#include "scene/object_problems.h"
#include "scene/scene_reader.h"

namespace colvik {
namespace scene {

template <int D>
Scene<D> SceneReader<D>::read() {
  scene_.file = context_.file;
  read_world();
  read_tags();
  read_regions();
  if (const auto world = top_.table("world", "world")) {
    static const std::vector<std::string> leavings{"kept", "removed"};
    if (const Bounds<D>* bounds =
            world->has("bounds") ? read_region(*world, "bounds", false) : nullptr)
      scene_.world.bounds = *bounds;
    scene_.world.leaving = static_cast<Leaving>(world->choice("leaving", leavings).value_or(0));
    if (world->has("leaving") && !world->has("bounds"))
      context_.report(*world->find("leaving"), "leaving without bounds", "bounds = a region");
    if (world->has("view") && read_region(*world, "view") != nullptr)
      scene_.view = *world->text("view");
  }
  scene_.numbers = read_numbers(top_, "numbers");
  read_kinds();
  read_objects();
  read_layouts();
  for (const auto& [at, name] : objects_meant_)
    if (!context_.reported_at(*at)) (void)check_who(*at, "@" + name);
  read_inputs();
  read_controls();
  read_accepted();
  read_reactions();
  read_expectations();
  if (context_.problems.empty()) try_out();
  return std::move(scene_);
}

template <int D>
void SceneReader<D>::read_world() {
  const auto s = top_.table("world", "world");
  if (!s) return;
  if (auto gravity = s->template vector<D>("gravity")) scene_.world.gravity = *gravity;
  if (auto rate = s->number("rate", 1, 10000)) scene_.world.rate = *rate;
  if (auto metre = s->number("metre", 1e-6, 1e6)) scene_.world.metre = *metre;
  if (auto sleep = s->boolean("sleep")) scene_.world.sleep = *sleep;
  std::vector<std::string> mixings;
  for (int mixing = 0; mixing <= static_cast<int>(Mixing::product); ++mixing)
    mixings.emplace_back(name_of(static_cast<Mixing>(mixing)));
  if (auto mixing = s->choice("friction_mixing", mixings))
    scene_.world.friction_mixing = static_cast<Mixing>(*mixing);
  if (auto mixing = s->choice("restitution_mixing", mixings))
    scene_.world.restitution_mixing = static_cast<Mixing>(*mixing);
  if (auto substeps = s->whole("substeps", 1, 64))
    scene_.world.substeps = static_cast<int>(*substeps);
  if (auto length = s->number("length", 0, 1e6)) scene_.length = *length;
}

template <int D>
void SceneReader<D>::read_tags() {
  const toml::node* node = top_.find("tags");
  if (node == nullptr) return;
  const toml::table* all = node->as_table();
  if (all == nullptr)
    return context_.report(*node, fmt::format("tags is {}", type_name(*node)),
                           "[tags] with name = \"meaning\"");
  for (const auto& [key, value] : in_file_order(*all)) {
    const auto meaning = text_in(context_, *value, key->str());
    const Result<Tag> tag = tags_.declare(key->str(), meaning.value_or(""));
    if (!tag)
      context_.report(key->source().begin,
                      fmt::format("{} {}", tag.error().where, tag.error().what),
                      tag.error().accepted);
    else {
      scene_.tags.emplace_back(key->str(), meaning.value_or(""));
      scene_.tag_places.push_back(context_.place(*value));
    }
  }
}

namespace {

// Everything on one side of a point along an axis.
template <int D>
std::optional<Bounds<D>> read_half_space(const Section& s) {
  for (const char* key : {"from", "to", "centre", "size"})
    if (s.has(key))
      s.context().report(*s.find(key), fmt::format("'{}' says nothing about a half-space", key),
                         "edge and towards");
  s.require("edge", "a point on its edge");
  s.require("towards", "the way it goes on");
  const auto edge = s.template vector<D>("edge");
  const auto towards = s.template vector<D>("towards");
  if (!edge || !towards) return std::nullopt;
  constexpr double kEndless = std::numeric_limits<double>::infinity();
  Bounds<D> half{Vec<D>::Constant(-kEndless), Vec<D>::Constant(kEndless)};
  int axes = 0;
  for (int i = 0; i < D; ++i) {
    if ((*towards)[i] > 0) {
      half.lo[i] = (*edge)[i];
      ++axes;
    }
    if ((*towards)[i] < 0) {
      half.hi[i] = (*edge)[i];
      ++axes;
    }
  }
  if (axes == 1) return half;
  s.context().report(
      *s.find("towards"), "the half-space does not go along one axis",
      "one number that is not 0; a half_plane or half_space collider, turned, for others");
  return std::nullopt;
}

}  // namespace

template <int D>
void SceneReader<D>::read_regions() {
  const toml::node* node = top_.find("regions");
  if (node == nullptr) return;
  const toml::table* all = node->as_table();
  if (all == nullptr)
    return context_.report(*node, fmt::format("regions is {}", type_name(*node)),
                           "NAME = { from, to } each");
  for (const auto& [key, value] : *all) declared_regions_.emplace(key.str());
  for (const auto& [key, value] : *all) {
    const toml::table* table = value.as_table();
    if (table == nullptr) {
      context_.report(value, fmt::format("region '{}' is {}", key.str(), type_name(value)),
                      "{ from = [...], to = [...] }");
      continue;
    }
    const Section s(context_, "region", {table});
    if (s.has("edge") || s.has("towards")) {
      if (auto half = read_half_space<D>(s)) scene_.regions[std::string(key.str())] = *half;
      continue;
    }
    const bool middle = s.has("centre") || s.has("size");
    if (middle && (s.has("from") || s.has("to"))) {
      context_.report(value, fmt::format("region '{}' is said twice", key.str()),
                      "from and to, or centre and size");
      continue;
    }
    for (const std::string_view name : {middle ? "centre" : "from", middle ? "size" : "to"})
      s.require(name, middle ? "centre and size"
                             : "two opposite corners, from and to, or centre and size");
    auto from = s.template vector<D>("from");
    auto to = s.template vector<D>("to");
    if (const auto centre = s.template vector<D>("centre"), size = s.template vector<D>("size");
        centre && size) {
      from = *centre - *size / 2;
      to = *centre + *size / 2;
    }
    if (!from || !to) continue;
    const Bounds<D> region{from->cwiseMin(*to), from->cwiseMax(*to)};
    if ((region.size().array() <= 0).any())
      context_.report(value, fmt::format("region '{}' is flat", key.str()),
                      "corners that differ along every axis");
    else scene_.regions[std::string(key.str())] = region;
  }
}

namespace {

// Adds all of a scene to a run; reports each error with the place of its object or reaction.
template <int D, class Report, class ReportObject>
void build(const Scene<D>& scene, Run<D>& run, Report&& report, ReportObject&& report_object) {
  for (const auto& [name, meaning] : scene.tags)
    if (auto good = run.world.tags().declare(name, meaning); !good)
      report(Place{scene.file, 0, 0}, good.error());
  for (const Number& n : scene.numbers)
    if (auto good = run.world.set_number({}, n.name, n.value); !good)
      report(Place{scene.file, 0, 0}, good.error());
  for (std::size_t i = 0; i < scene.objects.size(); ++i)
    if (auto good = run.world.add(scene.objects[i]); !good) report_object(i, good.error());
  for (const auto& [first, second, place] : scene.excepted) {
    const auto a = run.world.find(first);
    const auto b = run.world.find(second);
    std::vector<std::string> names;
    for (const ObjectDef<D>& o : scene.objects) names.push_back(o.name);
    if (!b)
      report(place, {{},
                     fmt::format("no object is named '{}'", second),
                     suggestion(second, names, "an object's name")});
    else if (a && !run.world.except(*a, *b))
      report(place, {{}, fmt::format("'{}' is excepted from itself", second), "another object"});
  }
  for (std::size_t i = 0; i < scene.kinds.size(); ++i) {
    const auto spawned = [&](const Reaction<D>& r) {
      return std::any_of(r.effects.begin(), r.effects.end(), [&](const Effect& e) {
        const auto* spawn = std::get_if<effects::Spawn>(&e.what);
        return spawn != nullptr && spawn->kind == scene.kinds[i].kind;
      });
    };
    if (std::none_of(scene.reactions.begin(), scene.reactions.end(), spawned)) continue;
    if (auto good = run.world.declare_kind(scene.kinds[i]); !good)
      report(scene.kind_places[i], good.error());
  }
  run.inputs = scene.inputs;
  for (std::size_t i = 0; i < scene.reactions.size(); ++i)
    if (auto good = run.rules.add(scene.reactions[i]); !good)
      report(scene.reaction_places[i], good.error());
  run.trace.start(run.world, run.rules);
}

}  // namespace

template <int D>
void SceneReader<D>::try_out() {
  if (auto good = check_settings(scene_.world); !good)
    return context_.report(top_.node(), good.error().where + " " + good.error().what,
                           good.error().accepted);
  const auto report = [&](const Place& place, const Error& error) {
    context_.problems.push_back(
        {place, (error.where.empty() ? "" : error.where + " ") + error.what, error.accepted});
  };
  Run<D> run(scene_.world);
  ObjectProblems wrong;
  build(scene_, run, report, [&](std::size_t i, const Error& error) {
    wrong.add(place_of(context_, object_layers_[i], scene_.object_places[i], error.where),
              scene_.objects[i].name, scene_.object_sources[i], error);
  });
  if (wrong.report(context_)) return;  // what follows from it is not reported
  for (std::size_t i = 0; i < scene_.objects.size(); ++i) {
    if (!scene_.objects[i].walker) continue;
    const ObjectId id = run.world.find(scene_.objects[i].name).value_or(ObjectId{});
    if (!run.world.alive(id)) continue;
    // It is freed to the nearest place in its first step, if there is one.
    const Vec<D> at = run.world.object(id).pose.position;
    double size = 0;
    for (const ColliderDef<D>& c : scene_.objects[i].colliders)
      size = std::max(size, bounds(c.shape, {}).size().norm());
    if (run.world.free_place(id, at, 2 * size)) continue;
    const auto worst = run.world.deepest(id, at);
    report(scene_.object_places[i],
           {{},
            fmt::format(
                "walker '{}' starts inside a solid, {:.3g} deep in '{}', with no free place near",
                scene_.objects[i].name, worst ? worst->at * -1 : 0.0,
                worst ? run.world.object(worst->object).name : "?"),
            "a place where it fits"});
  }
  for (const Expectation<D>& e : scene_.expectations)
    if (auto good = check_expectation(e, run.trace); !good) report(e.place, good.error());
}

namespace {

// Puts the values of --set in place of the declared ones. `holders` keeps them alive.
void apply_settings(Context& context, std::span<const Setting> settings,
                    std::vector<toml::table>& holders) {
  holders.reserve(settings.size());
  for (const auto& [name, value] : settings) {
    const auto refuse = [&, name = name, value = value](std::string what, std::string accepted) {
      context.problems.push_back(
          {{fmt::format("--set {}={}", name, value), 0, 0}, std::move(what), std::move(accepted)});
    };
    const auto at = context.parameters.find(name);
    if (at == context.parameters.end()) {
      refuse(fmt::format("no parameter is named '{}'", name),
             suggestion(name, context.parameter_names,
                        context.parameter_names.empty()
                            ? "the scene declares none"
                            : fmt::format("parameters are: {}",
                                          fmt::join(context.parameter_names, ", "))));
      continue;
    }
    // Put where the declared value stands, so that its problems are reported with that place.
    const toml::source_position declared = at->second->source().begin;
    const std::string before = std::string(declared.line - 1, '\n') + "v" +
                               std::string(declared.column > 4 ? declared.column - 4 : 0, ' ') +
                               "= ";
    toml::table holder;
    try {
      holder = toml::parse(before + value);
    } catch (const toml::parse_error&) {
      holder.insert("v", value);
    }
    const bool same = type_name(*holder.get("v")) == type_name(*at->second) && holder.size() == 1;
    if (!same) {
      refuse(fmt::format("'{}' is {}", value, type_name(*holder.get("v"))),
             std::string(type_name(*at->second)));
      continue;
    }
    holders.push_back(std::move(holder));
    at->second = holders.back().get("v");
  }
}

// A table is made, and later destroyed, inside another for each part of a dotted key.
constexpr int kMostParts = 64;

// Where the first key with more parts than that reaches them. Dots in strings and comments are
// none of a key's, and those of numbers are one each.
std::optional<toml::source_position> overlong_key(std::string_view text) {
  toml::source_position at{1, 0};
  std::string_view quote;  // of the string that this is in
  int parts = 1;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '\n') {
      ++at.line;
      at.column = 0;
    } else {
      ++at.column;
    }
    if (!quote.empty()) {
      const std::string_view two = text.substr(i, 2);
      if (quote[0] == '"' && (two == "\\\"" || two == "\\\\")) {  // neither ends it
        ++i;
        ++at.column;
      } else if (text.substr(i, quote.size()) == quote || (c == '\n' && quote.size() == 1)) {
        i += quote.size() - 1;
        at.column += static_cast<toml::source_index>(quote.size() - 1);
        quote = {};
      }
    } else if (c == '"' || c == '\'') {
      const std::string_view three = text.substr(i, 3);
      const bool is_long = three == "\"\"\"" || three == "'''";
      quote = is_long ? three : text.substr(i, 1);
      i += quote.size() - 1;
      at.column += static_cast<toml::source_index>(quote.size() - 1);
    } else if (c == '#') {
      const std::size_t end = std::min(text.find('\n', i), text.size());
      at.column += static_cast<toml::source_index>(end - i - 1);
      i = end - 1;
    } else if (c == '\n' || c == '=' || c == ',' || c == '[' || c == '{') {
      parts = 1;
    } else if (c == '.' && ++parts > kMostParts) {
      return at;
    }
  }
  return {};
}

LoadedScene finish(Context& context) {
  LoadedScene out;
  std::stable_sort(context.problems.begin(), context.problems.end(),
                   [](const Problem& a, const Problem& b) {
                     return std::tie(a.place.line, a.place.column, a.what) <
                            std::tie(b.place.line, b.place.column, b.what);
                   });
  for (Problem& p : context.problems) {
    const bool again = !out.problems.empty() && out.problems.back().place.line == p.place.line &&
                       out.problems.back().place.column == p.place.column &&
                       out.problems.back().what == p.what;
    if (!again) out.problems.push_back(std::move(p));
  }
  return out;
}

}  // namespace
template Scene<2> SceneReader<2>::read();
template Scene<3> SceneReader<3>::read();
template void SceneReader<2>::read_world();
template void SceneReader<3>::read_world();
template void SceneReader<2>::read_tags();
template void SceneReader<3>::read_tags();
template void SceneReader<2>::read_regions();
template void SceneReader<3>::read_regions();
template void SceneReader<2>::try_out();
template void SceneReader<3>::try_out();

}  // namespace scene

LoadedScene read_scene(std::string_view text, const std::string& name,
                       std::span<const Setting> settings, const std::string& files) {
  scene::Context context;
  context.file = name;
  context.files = files;
  if (const auto at = scene::overlong_key(text)) {
    context.report(*at, fmt::format("a key has more than {} parts", scene::kMostParts),
                   fmt::format("keys of at most {} parts", scene::kMostParts));
    return scene::finish(context);
  }
  toml::table root;
  try {
    root = toml::parse(text, std::string_view{name});
  } catch (const toml::parse_error& error) {
    context.report(error.source().begin, std::string(error.description()),
                   "TOML as in docs/scene.md");
    return scene::finish(context);
  }
  const scene::Section top(context, "scene", {&root});
  if (!root.contains("colvik"))
    context.report(toml::source_position{1, 1}, "the file does not say that it is a scene",
                   "colvik = 1 as the first line");
  else (void)top.whole("colvik", 1, 1);
  if (const toml::table* parameters = root["parameters"].as_table())
    for (const auto& [key, value] : *parameters) {
      context.parameters[std::string(key.str())] = &value;
      context.parameter_names.emplace_back(key.str());
    }
  else if (const toml::node* node = root.get("parameters"))
    context.report(*node, fmt::format("parameters is {}", scene::type_name(*node)),
                   "[parameters] with NAME = value");
  std::vector<toml::table> holders;
  scene::apply_settings(context, settings, holders);

  top.require("world", "[world] with dimension = 2 or 3");
  std::optional<std::uint64_t> dimension;
  if (const auto world = top.table("world", "world")) {
    world->require("dimension", "dimension = 2 or 3");
    dimension = world->whole("dimension", 2, 3);
  }
  if (!dimension) return scene::finish(context);
  const auto complete = [&](auto scene) {
    LoadedScene out = scene::finish(context);
    if (out.problems.empty()) out.scene = std::move(scene);
    return out;
  };
  if (*dimension == 2) return complete(scene::SceneReader<2>(context, root).read());
  return complete(scene::SceneReader<3>(context, root).read());
}

LoadedScene load_scene(const std::string& path, std::span<const Setting> settings,
                       const std::string& files) {
  std::ifstream file(path, std::ios::binary);
  std::stringstream text;
  if (file) text << file.rdbuf();
  if (!file || !text) {
    LoadedScene out;
    out.problems.push_back({{path, 0, 0}, "the file cannot be read", "a scene file (TOML)"});
    return out;
  }
  return read_scene(text.str(), path, settings, files);
}

template <int D>
std::unique_ptr<Run<D>> start_run(const Scene<D>& scene) {
  auto run = std::make_unique<Run<D>>(scene.world);
  const auto refuse = [](const Place& place, const Error& error) {
    throw UncheckedError({Problem{place, error.where, {}}.message(), error.what, error.accepted});
  };
  scene::build(scene, *run, refuse,
               [&](std::size_t i, const Error& error) { refuse(scene.object_places[i], error); });
  return run;
}
template std::unique_ptr<Run<2>> start_run(const Scene<2>&);
template std::unique_ptr<Run<3>> start_run(const Scene<3>&);

}  // namespace colvik
