#include <fmt/format.h>
#include <png.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "art/file.h"

namespace colvik {

Result<std::string> art::bytes_of(const std::string& path, const std::string& what) {
  std::error_code failed;
  if (!std::filesystem::is_regular_file(path, failed))
    return Error{path, "there is no such file", what};
  const auto size = std::filesystem::file_size(path, failed);
  if (failed) return Error{path, "the file cannot be read", what};
  if (size > kMostFileBytes)
    return Error{path, fmt::format("has {} bytes", size),
                 fmt::format("at most {}", kMostFileBytes)};
  std::ifstream file(path, std::ios::binary);
  std::ostringstream all;
  if (file) all << file.rdbuf();
  if (!file) return Error{path, size == 0 ? "is empty" : "the file cannot be read", what};
  return all.str();
}

std::optional<std::array<std::uint8_t, 3>> colour_named(std::string_view text) {
  if (text.size() != 7 || text[0] != '#') return std::nullopt;
  std::array<std::uint8_t, 3> colour{};
  for (std::size_t i = 0; i < 6; ++i) {
    const char c = text[i + 1];
    const int digit = c >= '0' && c <= '9'   ? c - '0'
                      : c >= 'a' && c <= 'f' ? c - 'a' + 10
                      : c >= 'A' && c <= 'F' ? c - 'A' + 10
                                             : -1;
    if (digit < 0) return std::nullopt;
    colour[i / 2] = static_cast<std::uint8_t>(16 * colour[i / 2] + digit);
  }
  return colour;
}

std::string ending_of(const std::string& path) {
  std::string ending = std::filesystem::path(path).extension().string();
  for (char& c : ending) c = static_cast<char>(c >= 'A' && c <= 'Z' ? c + 32 : c);
  return ending;
}

bool lies_in(const std::string& path, const std::string& folder) {
  namespace fs = std::filesystem;
  std::error_code failed;
  const fs::path allowed = fs::weakly_canonical(fs::absolute(folder), failed);
  const fs::path wanted = fs::weakly_canonical(fs::absolute(path), failed);
  const auto [end, rest] =
      std::mismatch(allowed.begin(), allowed.end(), wanted.begin(), wanted.end());
  // A folder written with a slash at its end has an empty last part.
  return !failed && (end == allowed.end() || (std::next(end) == allowed.end() && end->empty()));
}

std::optional<double> scale_to(const Vec<2>& wanted, const Vec<2>& own) {
  const double scale = wanted.x() / own.x();
  if (std::abs(wanted.y() - scale * own.y()) > 0.01 * wanted.y()) return std::nullopt;
  return scale;
}

Result<Pixels> read_png(const std::string& path) {
  const Result<std::string> bytes = art::bytes_of(path, "a PNG picture");
  if (!bytes) return bytes.error();
  const std::string& all = bytes.value();
  constexpr unsigned char kSignature[] = {0x89, 'P', 'N', 'G', '\r', '\n', 0x1a, '\n'};
  if (all.size() < sizeof kSignature ||
      all.compare(0, sizeof kSignature, reinterpret_cast<const char*>(kSignature),
                  sizeof kSignature) != 0)
    return Error{path, "is no PNG picture", "a file that begins as PNG files do"};
  png_image image{};
  image.version = PNG_IMAGE_VERSION;
  if (png_image_begin_read_from_memory(&image, all.data(), all.size()) == 0)
    return Error{path, fmt::format("cannot be read as PNG: {}", image.message), "a PNG picture"};
  constexpr std::size_t kMost = 32'000'000;
  if (image.width > static_cast<unsigned>(kMostPixels) ||
      image.height > static_cast<unsigned>(kMostPixels) ||
      std::size_t{image.width} * image.height > kMost) {
    const Error large{path, fmt::format("has {} x {} pixels", image.width, image.height),
                      fmt::format("at most {} on a side and {} in all", kMostPixels, kMost)};
    png_image_free(&image);
    return large;
  }
  image.format = PNG_FORMAT_RGBA;
  Pixels pixels{static_cast<int>(image.width), static_cast<int>(image.height), {}};
  pixels.bytes.resize(PNG_IMAGE_SIZE(image));
  if (png_image_finish_read(&image, nullptr, pixels.bytes.data(), 0, nullptr) == 0) {
    const Error broken{path, fmt::format("cannot be read as PNG: {}", image.message),
                       "a PNG picture that is whole"};
    png_image_free(&image);
    return broken;
  }
  return pixels;
}

}  // namespace colvik
