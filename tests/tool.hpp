#pragma once
// The real tool, run as a user runs it.
#include <sys/wait.h>

#include <cstdio>
#include <cstdlib>

#include "support.hpp"

namespace colvik::test {

struct Ran {
  int status = -1;
  std::string out;
  std::string err;
};

// A folder of this test's own, gone afterwards.
struct Folder {
  std::filesystem::path path;
  Folder() {
    std::string name = (std::filesystem::temp_directory_path() / "colvik-test-XXXXXX").string();
    path = mkdtemp(name.data());
  }
  ~Folder() { std::filesystem::remove_all(path); }
  std::string operator/(const char* name) const { return (path / name).string(); }
};

inline Ran shell(const std::string& command) {
  const Folder folder;
  Ran ran;
  const int code = std::system(("cd " COLVIK_SOURCE_DIR " && { " + command + "; } >" +
                                folder / "out" + " 2>" + folder / "err" + " </dev/null")
                                   .c_str());
  ran.status = WIFEXITED(code) ? WEXITSTATUS(code) : -1;
  ran.out = read(folder.path / "out");
  ran.err = read(folder.path / "err");
  return ran;
}
inline Ran colvik_tool(const std::string& arguments) {
  return shell(COLVIK_BIN_DIR "/colvik " + arguments);
}

inline bool has(const std::string& text, std::string_view part) {
  return text.find(part) != std::string::npos;
}

// The fenced blocks of a page: language and text.
inline std::vector<std::pair<std::string, std::string>> blocks(const std::string& page) {
  std::vector<std::pair<std::string, std::string>> all;
  std::istringstream lines(page);
  bool open = false;
  for (std::string line; std::getline(lines, line);) {
    if (line.starts_with("```")) {
      if (!open) all.emplace_back(line.substr(3), "");
      open = !open;
    } else if (open) {
      all.back().second += line + "\n";
    }
  }
  return all;
}

}  // namespace colvik::test
