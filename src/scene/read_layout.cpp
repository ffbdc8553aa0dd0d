// Many copies of one object: rows, grids, rings, borders, drawings in characters, scattered.
#include <fmt/format.h>

#include <algorithm>

#include <colvik/chance.hpp>
#include "scene/scene_reader.h"

namespace colvik::scene {
namespace {

// Whole size of what an object is made of, along the world's axes.
template <int D>
Vec<D> own_size(const ObjectDef<D>& def) {
  Bounds<D> all;
  for (const ColliderDef<D>& c : def.colliders)
    if (!is_scenery(c.shape.kind))
      all = all.merged(bounds(c.shape, Pose<D>{kZero, def.turned} * Pose<D>{c.at, c.turned}));
  if (all.empty())
    for (const Drawing<D>& d : def.drawings)
      all = all.merged(Bounds<D>{d.at - d.size / 2, d.at + d.size / 2});
  return all.empty() ? Vec<D>(kZero) : all.size();
}

template <int D>
Pose<D> across(const Pose<D>& pose) {
  Vec<D> position = pose.position;
  position[0] = -position[0];
  return {position, mirrored(pose.rotation)};
}

template <int D>
struct AtStart {
  Pose<D> unmirrored;  // as given, as if no parent were mirrored
  Pose<D> pose;
  bool mirrored = false;
};

template <int D>
AtStart<D> start_of(const ObjectDef<D>& def, const std::vector<ObjectDef<D>>& earlier) {
  const Pose<D> given{def.at, def.turned};
  const auto found = std::find_if(earlier.begin(), earlier.end(),
                                  [&](const ObjectDef<D>& o) { return o.name == def.parent; });
  if (def.parent.empty() || found == earlier.end()) return {given, given, def.mirrored};
  const AtStart<D> parent = start_of(*found, earlier);
  const Pose<D> own = def.on_parent ? *def.on_parent : parent.unmirrored.relative(given);
  return {parent.unmirrored * own, parent.pose * (parent.mirrored ? across(own) : own),
          parent.mirrored != def.mirrored};
}

}  // namespace

template <int D>
void SceneReader<D>::add_copy(const ObjectDef<D>& def, const std::string& name, const Pose<D>& at,
                              const Place& place, const std::string& source) {
  ObjectDef<D> copy = def;
  copy.name = name;
  copy.at = at.position;
  copy.turned = at.rotation;
  if (!covering_.empty()) {
    const AtStart<D> start = start_of(copy, scene_.objects);
    for (const auto& [collider, region] : covering_) {
      const Pose<D> inside = start.pose.relative({region, {}});
      const Pose<D> given = start.mirrored ? across(inside) : inside;
      copy.colliders[collider].at = given.position;
      copy.colliders[collider].turned = given.rotation;
    }
  }
  scene_.objects.push_back(std::move(copy));
  scene_.object_places.push_back(place);
  scene_.object_sources.push_back(source);
  scene_.object_keys.push_back(keys_at_hand_);
  object_layers_.push_back(layers_at_hand_);
}

// One object, or the copies of a layout.
template <int D>
void SceneReader<D>::add_copies(const Section& s, const ObjectDef<D>& def, const toml::table& own) {
  std::vector<std::string> said;
  for (const char* key : {"at", "row", "grid", "ring", "border", "picture", "scatter"})
    if (own.contains(key)) said.emplace_back(key);
  if (said.size() > 1)
    return context_.report(own, fmt::format("'{}' is placed twice", def.name),
                           "one of at, row, grid, ring, border, picture and scatter");
  if (own.contains("thickness") && !own.contains("border"))
    context_.report(*own.get("thickness"), "thickness without a border",
                    "border = a region beside it");
  if (said.empty() || said[0] == "at") return add_copy(def, def.name, {def.at, def.turned}, own);
  if (said[0] == "border") return add_border(s, def, own);
  if (said[0] == "picture") return add_picture(s, def, own);
  const auto layout = s.table(said[0], said[0]);
  if (!layout) return;
  if (said[0] == "row") add_row(*layout, def, own);
  else if (said[0] == "grid") add_grid(*layout, def, own);
  else if (said[0] == "ring") add_ring(*layout, def, own);
  else add_scatter(*layout, def, own);
}

template <int D>
void SceneReader<D>::add_row(const Section& layout, const ObjectDef<D>& def,
                             const toml::table& own) {
  for (const std::string_view key : {"from", "count"}) layout.require(key, "from, step and count");
  if (layout.has("step") == layout.has("along"))
    context_.report(layout.node(), "a row has step, or along with gap",
                    "step = from one copy to the next");
  const auto from = layout.template vector<D>("from");
  auto step = layout.template vector<D>("step");
  if (const auto along = layout.template vector<D>("along"))
    step = along->cwiseProduct(
        Vec<D>(own_size(def) + Vec<D>::Constant(layout.number("gap").value_or(0))));
  const auto count = layout.whole("count", 1, 1000000);
  if (!from || !step || !count) return;
  for (std::uint64_t i = 0; i < *count; ++i)
    add_copy(def, fmt::format("{}.{}", def.name, i + 1),
             {*from + *step * static_cast<double>(i), def.turned}, own);
}

template <int D>
void SceneReader<D>::add_grid(const Section& layout, const ObjectDef<D>& def,
                              const toml::table& own) {
  for (const std::string_view key : {"from", "count"}) layout.require(key, "from, step and count");
  if (layout.has("step") == layout.has("gap"))
    context_.report(layout.node(), "a grid has step or gap",
                    "step = between neighbours along each axis");
  const auto from = layout.template vector<D>("from");
  auto step = layout.template vector<D>("step");
  if (const auto gap = layout.template vector<D>("gap")) step = own_size(def) + *gap;
  const auto counts = layout.template vector<D>("count");
  if (!from || !step || !counts) return;
  double total = 1;
  for (int i = 0; i < D; ++i) total *= (*counts)[i];
  if ((counts->array() < 1).any() || (counts->array() != counts->array().floor()).any() ||
      total > 1e6)
    return context_.report(*layout.find("count"), "count is not usable",
                           "whole numbers from 1 up, at most 1000000 copies");
  Vec<D> at = kZero;  // counts up like an odometer, first axis fastest
  for (std::size_t left = static_cast<std::size_t>(total); left > 0; --left) {
    std::string name = def.name;
    for (int i = 0; i < D; ++i) name += fmt::format(".{}", at[i] + 1);
    add_copy(def, name, {*from + step->cwiseProduct(at), def.turned}, own);
    for (int i = 0; i < D; ++i) {
      if (++at[i] < (*counts)[i]) break;
      at[i] = 0;
    }
  }
}

template <int D>
void SceneReader<D>::add_ring(const Section& layout, const ObjectDef<D>& def,
                              const toml::table& own) {
  for (const std::string_view key : {"centre", "diameter", "count"})
    layout.require(key, "centre, diameter and count");
  const auto centre = layout.template vector<D>("centre");
  const auto diameter = layout.number("diameter", 0, 1e9);
  const auto count = layout.whole("count", 1, 1000000);
  if (!centre || !diameter || !count) return;
  const double first = layout.number("from").value_or(0);
  const bool turns = layout.boolean("turn").value_or(false);
  for (std::uint64_t i = 0; i < *count; ++i) {
    const double angle =
        radians(first + 360.0 * static_cast<double>(i) / static_cast<double>(*count));
    Rotation<D> turn;
    if constexpr (D == 2) turn = Rotation<2>(angle);
    else turn = Rotation<3>(Vec<3>::Unit(2), angle);
    const Vec<D> at = *centre + turn * Vec<D>(Vec<D>::Unit(0) * (*diameter / 2));
    add_copy(def, fmt::format("{}.{}", def.name, i + 1),
             {at, turns ? turn * def.turned : def.turned}, own);
  }
}

// Walls just outside a region, their inner faces on its edges.
template <int D>
void SceneReader<D>::add_border(const Section& s, const ObjectDef<D>& def, const toml::table& own) {
  static constexpr std::string_view kSides[] = {"left", "right", "bottom", "top", "back", "front"};
  const Bounds<D>* region = read_region(s, "border");
  const double thick = s.number("thickness", 1e-9, 1e9).value_or(scene_.world.metre);
  if (region == nullptr) return;
  for (int axis = 0; axis < D; ++axis)
    for (const int side : {0, 1}) {
      ObjectDef<D> wall = def;
      ColliderDef<D> c = def.colliders.empty() ? ColliderDef<D>{} : def.colliders.front();
      c.shape = {};
      c.shape.kind = ShapeKind::box;
      c.shape.core = region->size() / 2 + Vec<D>::Constant(thick);  // corners are closed too
      c.shape.core[axis] = thick / 2;
      c.at = kZero;
      c.turned = {};
      wall.colliders = {c};
      covering_.clear();
      Vec<D> at = region->centre();
      at[axis] = side == 0 ? region->lo[axis] - thick / 2 : region->hi[axis] + thick / 2;
      add_copy(wall, fmt::format("{}.{}", def.name, kSides[2 * axis + side]), {at, {}}, own);
    }
}

// A drawing in characters, each of which stands for a kind.
template <int D>
void SceneReader<D>::add_picture(const Section& s, const ObjectDef<D>& def,
                                 const toml::table& own) {
  const auto layout = s.table("picture", "picture");
  if (!layout) return;
  for (const std::string_view key : {"rows", "from", "cell", "signs"})
    layout->require(key, "rows, from, cell and signs");
  const std::vector<std::string> rows = layout->texts("rows");
  const auto from = layout->template vector<D>("from");
  const auto cell = layout->template vector<D>("cell");
  const toml::node* signs = layout->find("signs");
  const toml::table* meaning = signs != nullptr ? signs->as_table() : nullptr;
  if (signs != nullptr && meaning == nullptr)
    context_.report(*signs, fmt::format("signs is {}", type_name(*signs)),
                    "{ \"#\" = \"a kind\", ... }");
  if (!from || !cell || meaning == nullptr) return;
  std::map<char, ObjectDef<D>> known;
  for (const auto& [key, value] : *meaning) {
    const auto name = text_in(context_, value, "sign");
    const Kind* kind = name ? find_kind(value, *name) : nullptr;
    if (key.str().size() != 1 || key.str() == "." || key.str() == " ")
      context_.report(key.source().begin, fmt::format("'{}' is not a sign", key.str()),
                      "one character, but '.' and ' ', which stand for nothing");
    if (kind == nullptr || key.str().size() != 1) continue;
    std::vector<const toml::table*> layers{&own};
    layers.insert(layers.end(), kind->layers.begin(), kind->layers.end());
    ObjectDef<D> of_kind = read_object(Section(context_, "object", std::move(layers)));
    of_kind.kind = *name;
    known.emplace(key.str()[0], std::move(of_kind));
  }
  covering_.clear();
  std::map<char, int> counts;
  for (std::size_t r = 0; r < rows.size(); ++r)
    for (std::size_t c = 0; c < rows[r].size(); ++c) {
      const char sign = rows[r][c];
      if (sign == '.' || sign == ' ') continue;
      const auto of = known.find(sign);
      if (of == known.end()) {
        if (!context_.reported_at(*layout->find("rows")))
          context_.report(*layout->find("rows"),
                          fmt::format("'{}' in row {} stands for nothing", sign, r + 1),
                          "a character under signs, or '.' for nothing");
        continue;
      }
      Vec<D> at = *from;
      at[0] += (*cell)[0] * static_cast<double>(c);
      at[1] += (*cell)[1] * static_cast<double>(rows.size() - 1 - r);
      add_copy(of->second, fmt::format("{}.{}.{}", def.name, of->second.kind, ++counts[sign]),
               {at, of->second.turned}, own);
    }
}

template <int D>
void SceneReader<D>::add_scatter(const Section& layout, const ObjectDef<D>& def,
                                 const toml::table& own) {
  for (const std::string_view key : {"region", "count"}) layout.require(key, "region and count");
  const Bounds<D>* region = read_region(layout, "region");
  const auto count = layout.whole("count", 1, 1000000);
  const std::uint64_t seed = layout.whole("seed", 0, 1000000000).value_or(1);
  if (region == nullptr || !count) return;
  for (std::uint64_t i = 0; i < *count; ++i) {
    Vec<D> at = region->centre();
    for (int k = 0; k < D; ++k)
      at[k] += 0.5 * region->size()[k] * chance(seed, D * i + static_cast<unsigned>(k));
    add_copy(def, fmt::format("{}.{}", def.name, i + 1), {at, def.turned}, own);
  }
}

template void SceneReader<2>::add_copy(const ObjectDef<2>& def, const std::string& name,
                                       const Pose<2>& at, const Place& place,
                                       const std::string& source);
template void SceneReader<3>::add_copy(const ObjectDef<3>& def, const std::string& name,
                                       const Pose<3>& at, const Place& place,
                                       const std::string& source);
template void SceneReader<2>::add_copies(const Section& s, const ObjectDef<2>& def,
                                         const toml::table& own);
template void SceneReader<3>::add_copies(const Section& s, const ObjectDef<3>& def,
                                         const toml::table& own);
template void SceneReader<2>::add_row(const Section& layout, const ObjectDef<2>& def,
                                      const toml::table& own);
template void SceneReader<3>::add_row(const Section& layout, const ObjectDef<3>& def,
                                      const toml::table& own);
template void SceneReader<2>::add_grid(const Section& layout, const ObjectDef<2>& def,
                                       const toml::table& own);
template void SceneReader<3>::add_grid(const Section& layout, const ObjectDef<3>& def,
                                       const toml::table& own);
template void SceneReader<2>::add_ring(const Section& layout, const ObjectDef<2>& def,
                                       const toml::table& own);
template void SceneReader<3>::add_ring(const Section& layout, const ObjectDef<3>& def,
                                       const toml::table& own);
template void SceneReader<2>::add_border(const Section& s, const ObjectDef<2>& def,
                                         const toml::table& own);
template void SceneReader<3>::add_border(const Section& s, const ObjectDef<3>& def,
                                         const toml::table& own);
template void SceneReader<2>::add_picture(const Section& s, const ObjectDef<2>& def,
                                          const toml::table& own);
template void SceneReader<3>::add_picture(const Section& s, const ObjectDef<3>& def,
                                          const toml::table& own);
template void SceneReader<2>::add_scatter(const Section& layout, const ObjectDef<2>& def,
                                          const toml::table& own);
template void SceneReader<3>::add_scatter(const Section& layout, const ObjectDef<3>& def,
                                          const toml::table& own);

}  // namespace colvik::scene
