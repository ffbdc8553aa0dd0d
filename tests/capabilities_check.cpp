// Holds tests/capabilities.toml against the tests and the scene keys: every cell names a test that
// is there, or says why it does not apply; every scene key is in a row; docs/capabilities.md is
// made from it. `--write` writes that page again, `--summary` only counts.
#include <colvik/scene.hpp>

#include <toml++/toml.h>

#include <array>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <map>
#include <set>
#include <sstream>

namespace {

constexpr std::array<std::pair<const char*, const char*>, 4> kCells{{{"cpp_2d", "C++ 2D"},
                                                                     {"cpp_3d", "C++ 3D"},
                                                                     {"scene_2d", "scene 2D"},
                                                                     {"scene_3d", "scene 3D"}}};

std::set<std::string> test_names() {
  std::set<std::string> names;
  FILE* pipe = popen(
      COLVIK_BIN_DIR "/colvik_tests --list-test-cases --no-intro=true --no-version=true", "r");
  std::array<char, 512> line{};
  while (pipe != nullptr && std::fgets(line.data(), line.size(), pipe) != nullptr) {
    std::string name(line.data());
    while (!name.empty() && (name.back() == '\n' || name.back() == ' ')) name.pop_back();
    names.insert(name);
  }
  if (pipe != nullptr) pclose(pipe);
  return names;
}

std::string read(const std::string& path);

// The text of each test case by its name, without templates' own.
std::map<std::string, std::string> test_texts() {
  std::map<std::string, std::string> texts;
  for (const auto& entry : std::filesystem::directory_iterator(COLVIK_SOURCE_DIR "/tests")) {
    if (entry.path().extension() != ".cpp") continue;
    const std::string file = read(entry.path().string());
    for (std::size_t at = file.find("TEST_CASE"); at != std::string::npos;) {
      const std::size_t next = file.find("TEST_CASE", at + 1);
      std::string text = file.substr(at, next - at);
      std::string name;
      std::size_t quote = text.find('"');
      while (quote != std::string::npos) {  // a name may be in several pieces
        const std::size_t end = text.find('"', quote + 1);
        name += text.substr(quote + 1, end - quote - 1);
        const std::size_t more = text.find_first_not_of(" \n", end + 1);
        quote = more != std::string::npos && text[more] == '"' ? more : std::string::npos;
      }
      texts[name] += text;
      at = next;
    }
  }
  return texts;
}

// Whether a test names that dimension. One that names neither is about scenes of both.
bool is_about(const std::string& text, bool two) {
  const std::vector<std::string> words =
      two ? std::vector<std::string>{"<2>", "2D", "Two", "dimension = 2"}
          : std::vector<std::string>{"<3>", "3D", "Three", "dimension = 3"};
  for (const std::string& word : words)
    if (text.find(word) != std::string::npos) return true;
  return false;
}

std::string read(const std::string& path) {
  std::ifstream file(path);
  std::stringstream text;
  text << file.rdbuf();
  return text.str();
}

}  // namespace

int main(int argc, char** argv) {
  const std::string option = argc > 1 ? argv[1] : "";
  const std::string path = COLVIK_SOURCE_DIR "/tests/capabilities.toml";
  const std::string page_path = COLVIK_SOURCE_DIR "/docs/capabilities.md";
  const toml::table root = toml::parse_file(path);
  const std::set<std::string> tests = test_names();
  const std::map<std::string, std::string> texts = test_texts();
  std::set<std::string> keys;
  for (const colvik::SceneKey& key : colvik::scene_keys())
    keys.insert(std::string(key.section) + "." + std::string(key.name));

  int faults = 0;
  int filled = 0;
  int all = 0;
  const auto fault = [&](const toml::node& at, const std::string& what) {
    std::cerr << path << ":" << at.source().begin.line << ":" << at.source().begin.column << ": "
              << what << "\n";
    ++faults;
  };
  std::set<std::string> reported;
  std::string page =
      "# Capabilities\n\nEach cell is proved by the test it names, or says why it does not apply. "
      "Made from "
      "`tests/capabilities.toml`.\n";
  std::string group;
  for (const toml::node& node : *root["row"].as_array()) {
    const toml::table& row = *node.as_table();
    const std::string name = row["name"].value_or(std::string());
    const std::string own_group = row["group"].value_or(std::string());
    if (name.empty() || own_group.empty()) fault(row, "a row needs group and name");
    if (own_group != group)
      page += "\n## " + (group = own_group) +
              "\n\n| capability | C++ 2D | C++ 3D | scene 2D | scene 3D |\n|---|---|---|---|---|\n";
    if (const toml::array* list = row["keys"].as_array())
      for (const toml::node& key : *list) {
        const std::string text = key.value_or(std::string());
        if (!keys.contains(text)) fault(key, "there is no scene key '" + text + "'");
        reported.insert(text);
      }
    page += "| " + name;
    for (const auto& [cell, title] : kCells) {
      ++all;
      // A cell may be said for both dimensions at once: cpp = ... for cpp_2d and cpp_3d.
      const std::string both = std::string(cell).substr(0, std::string(cell).find('_'));
      const toml::node* at = row.get(cell) != nullptr ? row.get(cell) : row.get(both);
      const std::string test = at != nullptr ? at->value_or(std::string()) : "";
      page += " | " + (test.empty() ? "**missing**" : test);
      if (test.empty()) {
        fault(row, "'" + name + "' has nothing for " + title);
        continue;
      }
      const std::string dimension =
          std::string(cell).ends_with("2d") ? "<colvik::test::Two>" : "<colvik::test::Three>";
      const bool plain = tests.contains(test);
      if (const bool two = std::string(cell).ends_with("2d");
          plain && is_about(texts.at(test), !two) && !is_about(texts.at(test), two))
        fault(*at, "the test '" + test + "' is not about " + title);
      if (test.starts_with("n/a: ") || plain || tests.contains(test + dimension)) ++filled;
      else fault(*at, "there is no test '" + test + "'");
    }
    page += " |\n";
  }
  for (const std::string& key : keys)
    if (!reported.contains(key)) fault(root, "scene key '" + key + "' is in no row");

  // The key reference, from the list that the reader itself goes by.
  std::string reference =
      "# Scene keys\n\nEvery key of a scene file; [scene.md](scene.md) explains them. Made from "
      "`src/scene/keys.cpp`.\n";
  std::string_view section;
  for (const colvik::SceneKey& key : colvik::scene_keys()) {
    if (key.section != section) {
      section = key.section;
      reference +=
          "\n## " + std::string(section) + "\n\n| key | value | meaning |\n|---|---|---|\n";
    }
    reference += "| `" + std::string(key.name) + "` | " + std::string(key.type) + " | " +
                 std::string(key.meaning) + " |\n";
  }
  const std::string reference_path = COLVIK_SOURCE_DIR "/docs/scene-keys.md";
  if (option == "--write") std::ofstream(reference_path) << reference;
  else if (read(reference_path) != reference)
    fault(root,
          "docs/scene-keys.md is out of date; build/bin/capabilities_check --write makes it again");

  if (option == "--write") std::ofstream(page_path) << page;
  else if (read(page_path) != page)
    fault(
        root,
        "docs/capabilities.md is out of date; build/bin/capabilities_check --write makes it again");
  std::cout << "capabilities: " << filled << " of " << all << " cells filled\n";
  return faults == 0 || option == "--summary" ? 0 : 1;
}
