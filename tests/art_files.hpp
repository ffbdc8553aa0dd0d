#pragma once
// Pictures and models written for tests.
#include <colvik/art.hpp>

#include <png.h>
#include <cstring>
#include <functional>
#include <nlohmann/json.hpp>

#include "support.hpp"
#include "tool.hpp"

namespace colvik::test {

inline void write(const std::string& path, std::string_view text) {
  std::ofstream(path, std::ios::binary) << text;
}

// Red, green, blue, opacity of each pixel.
inline void write_png(const std::string& path, int width, int height,
                      const std::function<std::array<int, 4>(int, int)>& at) {
  std::vector<std::uint8_t> bytes;
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x)
      for (const int part : at(x, y)) bytes.push_back(static_cast<std::uint8_t>(part));
  png_image image{};
  image.version = PNG_IMAGE_VERSION;
  image.width = static_cast<unsigned>(width);
  image.height = static_cast<unsigned>(height);
  image.format = PNG_FORMAT_RGBA;
  REQUIRE(png_image_write_to_file(&image, path.c_str(), 0, bytes.data(), 0, nullptr) != 0);
}

// A disc of a diameter of 40 in 64 x 48 pixels, and beneath it a bar; the rest is clear.
inline std::array<int, 4> disc_and_bar(int x, int y) {
  const bool disc = (x - 31.5) * (x - 31.5) + (y - 19.5) * (y - 19.5) < 400;
  const bool bar = y >= 44 && x >= 4 && x < 60;
  return {200, 120, 40, disc || bar ? 255 : 0};
}
inline std::string base64(const std::string& bytes) {
  static constexpr char kSigns[] =
      "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string out;
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    unsigned long three = 0;
    for (std::size_t k = 0; k < 3; ++k)
      three = three << 8 | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U);
    for (std::size_t k = 0; k < 4; ++k)
      out += i + k > bytes.size() ? '=' : kSigns[three >> (18 - 6 * k) & 63U];
  }
  return out;
}

// A model of boxes (centre below its own origin by nothing): one mesh "box" of whole size 2 x 1 x 1
// and the nodes given, {"name", "translation", ...}.
inline nlohmann::json box_model(const nlohmann::json& nodes) {
  std::string data;
  const auto put = [&](auto value) {
    data.append(reinterpret_cast<const char*>(&value), sizeof value);
  };
  for (int i = 0; i < 8; ++i) {
    put((i & 1) != 0 ? 1.0F : -1.0F);
    put((i & 2) != 0 ? 0.5F : -0.5F);
    put((i & 4) != 0 ? 0.5F : -0.5F);
  }
  const std::uint16_t corners[] = {0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 4, 6, 0, 6, 2,
                                   1, 3, 7, 1, 7, 5, 0, 1, 5, 0, 5, 4, 2, 6, 7, 2, 7, 3};
  for (const std::uint16_t c : corners) put(c);
  nlohmann::json model{{"asset", {{"version", "2.0"}}}, {"scene", 0}};
  model["nodes"] = nodes;
  std::vector<int> all;
  for (std::size_t i = 0; i < nodes.size(); ++i) all.push_back(static_cast<int>(i));
  std::vector<int> roots = all;
  for (const auto& n : nodes)
    for (const int child : n.value("children", std::vector<int>{})) std::erase(roots, child);
  model["scenes"] = nlohmann::json::array({{{"nodes", roots}}});
  model["meshes"] = nlohmann::json::parse(
      R"([{"name": "box", "primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}])");
  model["accessors"] = nlohmann::json::parse(
      R"([{"bufferView": 0, "componentType": 5126, "count": 8, "type": "VEC3"},
          {"bufferView": 1, "componentType": 5123, "count": 36, "type": "SCALAR"}])");
  model["bufferViews"] = nlohmann::json::parse(
      R"([{"buffer": 0, "byteOffset": 0, "byteLength": 96}, {"buffer": 0, "byteOffset": 96, "byteLength": 72}])");
  model["buffers"] =
      nlohmann::json::array({{{"byteLength", data.size()},
                              {"uri", "data:application/octet-stream;base64," + base64(data)}}});
  return model;
}

}  // namespace colvik::test
