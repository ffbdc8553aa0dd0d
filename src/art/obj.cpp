#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "art/file.h"

// Compiled here rather than linked: the shared library's vectors and ours may not mix under a
// sanitizer.
#define TINYOBJLOADER_IMPLEMENTATION
#define TINYOBJLOADER_USE_DOUBLE
#include <tiny_obj_loader.h>

namespace colvik::art {
namespace {

// A face of very many corners takes its triangulation the square of them.
constexpr std::size_t kMostOfLine = 20'000;

bool has_overlong_line(const std::string& text) {
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    if (end - at > kMostOfLine) return true;
    at = end + 1;
  }
  return false;
}

}  // namespace

Result<Model> read_obj(const std::string& path) {
  Result<std::string> bytes = bytes_of(path, "an OBJ file");
  if (!bytes) return bytes.error();
  const std::string text = std::move(bytes).value();
  const std::string accepted = "lines 'v x y z' and 'f a b c'";
  if (has_overlong_line(text))
    return Error{path, fmt::format("has a line of more than {} characters", kMostOfLine), accepted};
  std::istringstream in(text);
  tinyobj::attrib_t attributes;
  std::vector<tinyobj::shape_t> shapes;
  std::vector<tinyobj::material_t> materials;
  std::string warnings;
  std::string errors;
  if (!tinyobj::LoadObj(&attributes, &shapes, &materials, &warnings, &errors, &in) ||
      !errors.empty()) {
    std::replace(errors.begin(), errors.end(), '\n', ' ');
    return Error{path, errors.empty() ? "is no OBJ file" : errors, accepted};
  }
  std::vector<Vec<3>> points;
  for (std::size_t i = 0; i + 2 < attributes.vertices.size(); i += 3) {
    points.emplace_back(attributes.vertices[i], attributes.vertices[i + 1],
                        attributes.vertices[i + 2]);
    if (!points.back().allFinite())
      return Error{path, fmt::format("point {} is not finite", points.size()), "numbers"};
  }
  if (points.empty()) return Error{path, "has no points", accepted};
  Model model;
  for (const tinyobj::shape_t& shape : shapes) {
    ModelNode node;
    node.name = shape.name;
    node.mesh = shape.name;
    node.place = shape.name.empty() ? path : fmt::format("{}: object '{}'", path, shape.name);
    constexpr std::uint32_t kUnused = 0xffffffff;
    std::vector<std::uint32_t> name(points.size(), kUnused);
    for (const tinyobj::index_t& index : shape.mesh.indices) {
      if (index.vertex_index < 0 || static_cast<std::size_t>(index.vertex_index) >= points.size())
        return Error{path, fmt::format("a face has corner {}", index.vertex_index + 1),
                     fmt::format("1 to {}", points.size())};
      name[static_cast<std::size_t>(index.vertex_index)] = 0;
    }
    for (std::size_t i = 0; i < points.size(); ++i) {  // in the order of the file
      if (name[i] == kUnused) continue;
      name[i] = static_cast<std::uint32_t>(node.art.points.size());
      node.art.points.push_back(points[i]);
    }
    for (std::size_t i = 0; i + 2 < shape.mesh.indices.size(); i += 3) {
      std::array<std::uint32_t, 3> t{};
      for (std::size_t k = 0; k < 3; ++k)
        t[k] = name[static_cast<std::size_t>(shape.mesh.indices[i + k].vertex_index)];
      node.art.triangles.push_back(t);
    }
    if (!node.art.triangles.empty()) model.nodes.push_back(std::move(node));
  }
  if (model.nodes.empty()) {  // a cloud
    ModelNode node;
    node.place = path;
    node.art.points = std::move(points);
    model.nodes.push_back(std::move(node));
    model.notes.emplace_back("it has points and no faces");
  }
  return model;
}

}  // namespace colvik::art

namespace colvik {

Art<3> Model::whole() const {
  Art<3> all;
  for (const ModelNode& node : nodes) {
    const auto base = static_cast<std::uint32_t>(all.points.size());
    for (const Vec<3>& p : node.art.points) all.points.push_back(node.pose * p);
    for (const auto& t : node.art.triangles)
      all.triangles.push_back({t[0] + base, t[1] + base, t[2] + base});
  }
  all.notes = notes;
  return all;
}

Result<Model> read_model(const std::string& path, const ModelOptions& options) {
  const std::string extension = ending_of(path);
  if (extension == ".obj") return art::read_obj(path);
  if (extension == ".gltf" || extension == ".glb") return art::read_gltf(path, options);
  return Error{path, fmt::format("a model of the kind '{}' is not read", extension),
               ".obj, .gltf or .glb"};
}

}  // namespace colvik
