#include "scene/obj_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <fstream>

// Compiled here rather than linked: the shared library's vectors and ours may not mix under a
// sanitizer.
#define TINYOBJLOADER_IMPLEMENTATION
#define TINYOBJLOADER_USE_DOUBLE
#include <tiny_obj_loader.h>

namespace colvik::scene {

Result<ObjMesh> read_obj_file(const std::string& path) {
  std::ifstream file(path);
  if (!file) return Error{path, "the file cannot be read", "an OBJ file beside the scene file"};
  tinyobj::attrib_t attributes;
  std::vector<tinyobj::shape_t> shapes;
  std::vector<tinyobj::material_t> materials;
  std::string warnings;
  std::string errors;
  if (!tinyobj::LoadObj(&attributes, &shapes, &materials, &warnings, &errors, &file) ||
      !errors.empty()) {
    std::replace(errors.begin(), errors.end(), '\n', ' ');
    return Error{path, errors.empty() ? "is no OBJ file" : errors, "lines 'v x y z' and 'f a b c'"};
  }
  ObjMesh mesh;
  for (std::size_t i = 0; i + 2 < attributes.vertices.size(); i += 3)
    mesh.points.emplace_back(attributes.vertices[i], attributes.vertices[i + 1],
                             attributes.vertices[i + 2]);
  if (mesh.points.empty()) return Error{path, "has no points", "lines 'v x y z' and 'f a b c'"};
  for (const tinyobj::shape_t& shape : shapes)
    for (std::size_t i = 0; i + 2 < shape.mesh.indices.size(); i += 3) {
      std::array<std::uint32_t, 3> t{};
      for (std::size_t k = 0; k < 3; ++k) {
        const int index = shape.mesh.indices[i + k].vertex_index;
        if (index < 0 || static_cast<std::size_t>(index) >= mesh.points.size())
          return Error{path, fmt::format("a face has corner {}", index + 1),
                       fmt::format("1 to {}", mesh.points.size())};
        t[k] = static_cast<std::uint32_t>(index);
      }
      mesh.triangles.push_back(t);
    }
  return mesh;
}

}  // namespace colvik::scene
