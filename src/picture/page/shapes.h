#pragma once
// Colliders as the page draws them.
#include <colvik/object.hpp>

#include <nlohmann/json.hpp>

namespace colvik::page {

template <int D>
[[nodiscard]] nlohmann::json vector_json(const Vec<D>& v) {
  nlohmann::json list = nlohmann::json::array();
  for (int i = 0; i < D; ++i) list.push_back(v[i]);
  return list;
}
[[nodiscard]] nlohmann::json collider_json(const ColliderDef<2>& collider, double metre);
[[nodiscard]] nlohmann::json collider_json(const ColliderDef<3>& collider, double metre);

}  // namespace colvik::page
