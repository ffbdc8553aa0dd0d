// The rooms of src/ and what each may use; see docs/architecture.md.
#include <doctest/doctest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>
#include <vector>

namespace {

namespace fs = std::filesystem;

// In order: each room uses only those before it.
const std::vector<std::string> kCore{"math",  "index", "shapes", "contact", "dynamics", "filter",
                                     "store", "pairs", "sleep",  "change",  "walk",     "query",
                                     "step",  "world", "record", "rules",   "watch"};
// Libraries above the core: its public headers alone.
const std::vector<std::string> kAbove{"threads", "fit",     "art",       "scene",
                                      "explain", "insight", "recording", "picture"};

struct Include {
  std::string file;
  std::string room;
  std::string used;
};

// All includes of private headers under src/.
std::vector<Include> private_includes() {
  std::vector<Include> out;
  const fs::path src = fs::path(COLVIK_SOURCE_DIR) / "src";
  for (const fs::directory_entry& entry : fs::recursive_directory_iterator(src)) {
    const std::string extension = entry.path().extension().string();
    if (extension != ".cpp" && extension != ".h") continue;
    const fs::path path = fs::relative(entry.path(), src);
    std::ifstream in(entry.path());
    for (std::string line; std::getline(in, line);) {
      constexpr std::string_view kStart = "#include \"";
      if (!line.starts_with(kStart)) continue;
      const std::string header =
          line.substr(kStart.size(), line.find('"', kStart.size()) - kStart.size());
      out.push_back({path.string(), path.begin()->string(), header.substr(0, header.find('/'))});
    }
  }
  return out;
}

std::ptrdiff_t place(const std::vector<std::string>& rooms, const std::string& room) {
  const auto at = std::find(rooms.begin(), rooms.end(), room);
  return at == rooms.end() ? -1 : at - rooms.begin();
}

}  // namespace

TEST_CASE(
    "a room uses only rooms before it, and libraries above the core only its public headers") {
  const std::vector<Include> all = private_includes();
  REQUIRE(all.size() > 200);
  for (const Include& i : all) {
    CAPTURE(i.file);
    CAPTURE(i.used);
    if (place(kAbove, i.room) >= 0) {
      CHECK(i.used == i.room);
      continue;
    }
    REQUIRE(place(kCore, i.room) >= 0);
    CHECK(place(kCore, i.used) >= 0);
    CHECK(place(kCore, i.used) <= place(kCore, i.room));
  }
}

TEST_CASE("each room has a page that says what it is for, and stands in the architecture") {
  std::ifstream page(fs::path(COLVIK_SOURCE_DIR) / "docs/architecture.md");
  std::ostringstream all;
  all << page.rdbuf();
  const std::string text = all.str();
  for (const fs::directory_entry& entry :
       fs::directory_iterator(fs::path(COLVIK_SOURCE_DIR) / "src")) {
    if (!entry.is_directory()) continue;
    const std::string room = entry.path().filename().string();
    CAPTURE(room);
    CHECK((place(kCore, room) >= 0 || place(kAbove, room) >= 0));
    CHECK(fs::exists(entry.path() / "README.md"));
    CHECK(text.find("[" + room + "](../src/" + room + "/README.md)") != std::string::npos);
  }
}

// Functions of the C library whose last bits differ between systems; math/ has the project's own.
TEST_CASE("the core calls no function of the C library whose bits differ between systems") {
  const std::vector<std::string> kFunctions{"sin",  "cos", "tan",  "asin", "acos",  "atan", "atan2",
                                            "exp",  "log", "pow",  "cbrt", "hypot", "sinh", "cosh",
                                            "tanh", "fma", "exp2", "log2", "log10"};
  std::size_t lines = 0;
  for (const std::string& room : kCore)
    for (const fs::directory_entry& entry :
         fs::directory_iterator(fs::path(COLVIK_SOURCE_DIR) / "src" / room)) {
      std::ifstream in(entry.path());
      for (std::string line; std::getline(in, line); ++lines)
        for (const std::string& function : kFunctions) {
          const bool calls = line.find("std::" + function + "(") != std::string::npos ||
                             line.find("numext::" + function + "(") != std::string::npos;
          CAPTURE(entry.path().string());
          CAPTURE(line);
          REQUIRE(!calls);
        }
    }
  CHECK(lines > 10000);
}
