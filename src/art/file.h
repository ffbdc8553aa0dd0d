#pragma once
// Files as bytes, and what each reader of models gives.
#include <colvik/art.hpp>

namespace colvik::art {

// Fails on what cannot be read, is empty, or is larger than kMostFileBytes. `what` would be
// accepted.
[[nodiscard]] Result<std::string> bytes_of(const std::string& path, const std::string& what);

[[nodiscard]] Result<Model> read_obj(const std::string& path);
[[nodiscard]] Result<Model> read_gltf(const std::string& path, const ModelOptions& options);

}  // namespace colvik::art
