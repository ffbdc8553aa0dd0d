#pragma once
// What several tests need: both dimensions in one test, small worlds.
#include <colvik/colvik.hpp>

#include <doctest/doctest.h>

#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>

#include "things.hpp"

namespace colvik::test {

inline std::string read(const std::filesystem::path& path) {
  std::ifstream file(path, std::ios::binary);
  std::stringstream text;
  text << file.rdbuf();
  return text.str();
}

// For TEST_CASE_TEMPLATE: the dimension as a type.
template <int N>
struct Dim {
  static constexpr int D = N;
};
using Two = Dim<2>;
using Three = Dim<3>;

// "begin zone a b", "end solid a b (left)": the events of the last step, in order.
template <int D>
std::vector<std::string> logged(const World<D>& world) {
  std::vector<std::string> lines;
  for (const Event<D>& e : world.events()) {
    std::string line = std::string(name_of(e.phase)) + " " + std::string(name_of(e.channel)) + " " +
                       world.object(e.self).name + " " + world.object(e.other).name;
    if (e.phase == Phase::end) line += " (" + std::string(name_of(e.why)) + ")";
    lines.push_back(line);
  }
  return lines;
}
using Lines = std::vector<std::string>;

}  // namespace colvik::test

namespace doctest {
template <>
struct StringMaker<std::vector<std::string>> {
  static String convert(const std::vector<std::string>& lines) {
    std::string text = "[";
    for (const std::string& line : lines) text += (text.size() > 1 ? " | " : "") + line;
    return (text + "]").c_str();
  }
};
}  // namespace doctest

TYPE_TO_STRING(colvik::test::Two);
TYPE_TO_STRING(colvik::test::Three);
