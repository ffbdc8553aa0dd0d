#pragma once
// The page's files, as they were when the library was built.
#include <string>
#include <string_view>

namespace colvik::page {

// "page", "style", "data", ...; "three" is empty where three.js was not there. "" for others.
[[nodiscard]] std::string part(std::string_view name);

}  // namespace colvik::page
