// colvik_bench: how fast the rooms of the library are, each row beside a baseline of a
// general-purpose library in the same run. Ratios are what counts: the machines are shared.
//
//     colvik_bench [--json] [Google Benchmark's own options]     exit 1 if a row did not find what
//     it should
#include <algorithm>
#include <cstring>
#include <iostream>
#include <map>

#include "bench.hpp"

namespace {

bool failed = false;  // a row that does not find what it should

// The usual table, and then how many times as long each baseline took.
class Ratios : public benchmark::ConsoleReporter {
 public:
  void ReportRuns(const std::vector<Run>& runs) override {
    ConsoleReporter::ReportRuns(runs);
    for (const Run& run : runs) {
      failed = failed || run.error_occurred;
      if (run.error_occurred) continue;
      const std::string name = run.run_name.function_name;
      const std::size_t cut = name.rfind('/');
      const std::string size = run.run_name.args.empty() ? "" : " " + run.run_name.args;
      times_[name.substr(0, cut) + size][name.substr(cut + 1)] = run.GetAdjustedRealTime();
    }
  }
  void Finalize() override {
    std::ostream& out = GetOutputStream();
    out << "\nTime of each baseline as a multiple of colvik's, same run (above 1: colvik is "
           "faster)\n";
    for (const auto& [group, rows] : times_) {
      if (std::all_of(rows.begin(), rows.end(), [](const auto& row) { return is_ours(row.first); }))
        continue;
      for (const auto& [our, our_time] : rows) {
        if (!is_ours(our)) continue;
        out << group << our.substr(std::strlen("colvik")) << ":";
        for (const auto& [name, time] : rows)
          if (!is_ours(name)) out << "  " << name << " " << std::round(100 * time / our_time) / 100;
        out << "\n";
      }
    }
  }

 private:
  static bool is_ours(const std::string& row) { return row.starts_with("colvik"); }

  std::map<std::string, std::map<std::string, double>> times_;
};

class Json : public benchmark::JSONReporter {
 public:
  void ReportRuns(const std::vector<Run>& runs) override {
    JSONReporter::ReportRuns(runs);
    for (const Run& run : runs) failed = failed || run.error_occurred;
  }
};

}  // namespace

int main(int argc, char** argv) {
  bool json = false;
  std::vector<char*> rest;
  for (int i = 0; i < argc; ++i) {
    if (std::strcmp(argv[i], "--json") == 0) json = true;
    else rest.push_back(argv[i]);
  }
  int count = static_cast<int>(rest.size());
  benchmark::Initialize(&count, rest.data());
  if (benchmark::ReportUnrecognizedArguments(count, rest.data())) return 2;
  bench::register_bodies();
  bench::register_fits();
  bench::register_leak();
  bench::register_recording();
  bench::register_pairs();
  bench::register_rays();
  bench::register_rules();
  bench::register_shapes();
  bench::register_walkers();
  bench::register_world();
  if (json) {
    Json reporter;
    benchmark::RunSpecifiedBenchmarks(&reporter);
  } else {
    Ratios reporter;
    benchmark::RunSpecifiedBenchmarks(&reporter);
  }
  return failed ? 1 : 0;
}
