// Holds the library's bodies to the laws of mechanics.
//
//     colvik_laws [--full] [--only GROUP] [--red FILE]
//
// One line of JSON for each law; exit 1 if any is not ok. With --red the rows that are not ok must
// be those that FILE names, one "LAW DIMENSION" a line, no more and no less.
#include <fmt/format.h>

#include <cstring>
#include <fstream>
#include <iostream>
#include <set>

#include "laws.hpp"

#include <nlohmann/json.hpp>

namespace colvik::laws {
namespace {

struct Run {
  bool full = false;
  std::set<std::string> red;
};
Run& now() {
  static Run run;
  return run;
}
std::vector<std::pair<std::string, Law>>& all() {
  static std::vector<std::pair<std::string, Law>> laws;
  return laws;
}

void tell_defaults() {
  const WorldSettings<2> s;
  nlohmann::ordered_json row;
  row["law"] = "defaults of a new world";
  row["steps_per_second"] = s.rate;
  row["substeps"] = s.substeps;
  row["metre"] = s.metre;
  row["friction"] = ColliderDef<2>().friction;
  row["friction_mixing"] = name_of(s.friction_mixing);
  row["restitution"] = ColliderDef<2>().restitution;
  row["restitution_mixing"] = name_of(s.restitution_mixing);
  row["continuous"] = ObjectDef<2>().continuous;
  row["sleep"] = s.sleep;
  row["ok"] = true;
  std::cout << row.dump() << std::endl;
}

}  // namespace

bool full() { return now().full; }
void add_law(const std::string& group, Law law) { all().emplace_back(group, std::move(law)); }

void record(const std::string& law, int dimension, double expected, double got, double limit,
            Against against) {
  const double off = std::abs(got - expected);
  const double error = against == Against::absolute ? off : off / std::abs(expected);
  const bool ok = error <= limit;
  nlohmann::ordered_json row;
  row["law"] = law;
  row["dimension"] = dimension;
  row["expected"] = expected;
  row["got"] = got;
  row["error"] = error;
  row["limit"] = limit;
  row["ok"] = ok;
  std::cout << row.dump() << std::endl;
  if (!ok) now().red.insert(fmt::format("{} {}D", law, dimension));
}

}  // namespace colvik::laws

int main(int count, char** words) {
  using namespace colvik::laws;
  std::string only;
  std::string red_file;
  for (int i = 1; i < count; ++i) {
    const std::string word = words[i];
    if (word == "--full") now().full = true;
    else if (word == "--only" && i + 1 < count) only = words[++i];
    else if (word == "--red" && i + 1 < count) red_file = words[++i];
    else {
      std::cerr << "colvik_laws: " << word
                << " is not understood; --full, --only GROUP or --red FILE\n";
      return 2;
    }
  }
  tell_defaults();
  std::size_t ran = 0;
  for (const auto& [group, law] : all())
    if (only.empty() || group == only) {
      law();
      ++ran;
    }
  if (ran == 0) {
    std::cerr << "colvik_laws: no group is named " << only << "\n";
    return 2;
  }
  if (red_file.empty()) return now().red.empty() ? 0 : 1;
  std::set<std::string> reported;
  std::ifstream file(red_file);
  for (std::string line; std::getline(file, line);)
    if (!line.empty() && line[0] != '#') reported.insert(line);
  bool same = file.eof();
  for (const std::string& row : now().red)
    if (!reported.contains(row)) {
      same = false;
      std::cerr << "not ok and not listed as open: " << row << "\n";
    }
  for (const std::string& row : reported)
    if (!now().red.contains(row)) {
      same = false;
      std::cerr << "listed as open but ok: " << row << "\n";
    }
  return same ? 0 : 1;
}
