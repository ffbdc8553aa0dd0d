#pragma once
// Points and triangles of an OBJ file.
#include <colvik/shape.hpp>

#include <string>

namespace colvik::scene {

struct ObjMesh {
  std::vector<Vec<3>> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;
};

/// Reads points and faces; faces of more corners are cut into triangles, materials passed over.
/// Fails with the reader's own words on a file that is not there or is no OBJ.
[[nodiscard]] Result<ObjMesh> read_obj_file(const std::string& path);

}  // namespace colvik::scene
