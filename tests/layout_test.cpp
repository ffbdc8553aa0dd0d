// A level that is drawn runs as the same level typed by hand, to the bit: places are whole parts of
// powers of two, so that each way of working them out is exact.
#include <fmt/format.h>

#include "art_files.hpp"
#include "random.hpp"
#include "spelled.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// Kinds with shapes of their own, and what they do when they meet.
template <int D>
std::string kinds(double rate, bool down) {
  std::string text = fmt::format("rate = {}\ngravity = <0 {}>\nlength = 6\n", rate, down ? 8 : -8);
  text +=
      "[tags]\nwall = 'w'\ncrate = 'c'\ncoin = 'z'\n"
      "[kinds.wall]\ntags = ['wall']\ncollider = { box = <*2>, friction = 0.5 }\n"
      "[kinds.crate]\nbody = 'dynamic'\ntags = ['crate']\n"
      "collider = { box = <*1>, restitution = 0.25 }\n"
      "[kinds.coin]\ntags = ['coin']\ncollider = { BALL = { diameter = 1 }, zone = true }\n"
      "[[reactions]]\nname = 'hit'\nself = 'crate'\nother = 'wall'\nchannel = 'solid'\n"
      "[[reactions]]\nname = 'take'\nself = 'coin'\nother = 'crate'\n"
      "do = [{ remove = 'self' }]\n";
  return text;
}

struct LevelItem {
  std::string kind;
  std::string name;
  int x;  // in quarters of a unit, from the drawing's upper left corner
  int y;
};

// Stacks that touch exactly on a floor that they touch exactly, coins in their way, and walls.
std::vector<LevelItem> random_level(Random& random) {
  std::vector<LevelItem> items;
  for (int x = 0; x < 10; ++x) items.push_back({"wall", "", 4 + 8 * x, 60});
  for (int i = 0; i < 4; ++i) {
    const int x = 4 * (1 + random.below(18));
    const int tall = 1 + random.below(3);
    const int above = random.coin() ? 0 : random.below(20);  // it falls, or stands already
    for (int k = 0; k < tall; ++k)
      items.push_back({"crate", fmt::format("crate-{}-{}", i, k), x + i % 2, 54 - above - 4 * k});
    items.push_back(
        {"coin", fmt::format("coin-{}", i), 4 * random.below(20), 4 * random.below(15)});
  }
  return items;
}

template <int D>
std::string typed(const std::vector<LevelItem>& items, const Vec<D>& at, bool down, int high) {
  std::string text;
  std::map<std::string, int> counts;
  for (const LevelItem& item : items) {
    const std::string name =
        item.name.empty() ? fmt::format("{}.{}", item.kind, ++counts[item.kind]) : item.name;
    const double y = (down ? item.y : high - item.y) / 4.0;
    text += fmt::format("[[objects]]\nname = '{}'\nkind = '{}'\nat = [{:.17g}, {:.17g}", name,
                        item.kind, at[0] + item.x / 4.0, at[1] + y);
    text += (D == 3 ? fmt::format(", {:.17g}]\n", at[2]) : "]\n");
  }
  return text;
}

template <int D>
std::unique_ptr<Run<D>> ran(const Folder& folder, const std::string& text) {
  const LoadedScene loaded = read_scene(text, folder / "s.toml");
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  const auto& scene = std::get<Scene<D>>(*loaded.scene);
  auto run = start_run(scene);
  run->run_for(scene.length);
  return run;
}

// The same objects, events and last state; how often one of them fell asleep.
template <int D>
int check_same(const Run<D>& a, const Run<D>& b) {
  REQUIRE(a.trace.objects().size() == b.trace.objects().size());
  REQUIRE(a.trace.touches().size() == b.trace.touches().size());
  CHECK(a.trace.touches().size() > 10);
  for (std::size_t i = 0; i < a.trace.touches().size(); ++i) {
    const TraceTouch& p = a.trace.touches()[i];
    const TraceTouch& q = b.trace.touches()[i];
    CHECK(std::tie(p.time, p.phase, p.self, p.other, p.impulse) ==
          std::tie(q.time, q.phase, q.self, q.other, q.impulse));
  }
  int slept = 0;
  for (std::uint32_t i = 0; i < a.trace.objects().size(); ++i) {
    CHECK(a.trace.objects()[i].name == b.trace.objects()[i].name);
    for (const auto& sample : a.trace.samples(i)) slept += sample.asleep;
  }
  CHECK(a.trace.hash() == b.trace.hash());
  return slept;
}

// Calls f(rate, at, down, items) for levels near and far, where gravity points down or up.
template <int D, class F>
void for_levels(const F& f) {
  int slept = 0;
  std::uint64_t seed = 0;
  for (const double rate : {15.0, 60.0, 480.0})
    for (const double far : {0.0, 131072.0})
      for (const bool down : {false, true}) {
        if (down && D == 3) continue;
        CAPTURE(rate);
        CAPTURE(far);
        CAPTURE(down);
        Random random(++seed);
        Vec<D> at = Vec<D>::Constant(0.5);
        at[0] += far;
        slept += f(rate, at, down, random_level(random));
      }
  CHECK(slept > 0);
}

}  // namespace

TEST_CASE("2D layouts: a drawing runs as the same level typed by hand") {
  const Folder folder;
  // Rectangles at their places, in a group that is moved and enlarged, or in one that is mirrored.
  const auto element = [](const LevelItem& item, int size, int way) {
    const std::string about =
        fmt::format("{}class='{}s'", item.name.empty() ? "" : "id='" + item.name + "' ", item.kind);
    const auto rect = [&](double x, double y, double side) {
      return fmt::format("<rect {} x='{}' y='{}' width='{}' height='{}'/>\n", about, x - side / 2,
                         y - side / 2, side, side);
    };
    if (way == 0) return rect(item.x, item.y, size);
    if (way == 1)
      return "<g transform='translate(16 -8) scale(2)'>" +
             rect((item.x - 16) / 2.0, (item.y + 8) / 2.0, size / 2.0) + "</g>";
    return "<g transform='scale(-1 1)'>" + rect(-item.x, item.y, size) + "</g>";
  };
  const std::string layout = "map = { walls = 'wall', crates = 'crate', coins = 'coin' }\n";
  for_levels<2>([&](double rate, const Vec<2>& at, bool down, const std::vector<LevelItem>& items) {
    std::string svg = "<svg viewBox='0 0 100 64'>\n";
    int way = 0;
    for (const LevelItem& item : items)
      svg += element(item, item.kind == "wall" ? 8 : 4, way++ % 3);
    write(folder / "level.svg", svg + "</svg>");
    const std::string head = spelled<2>(kinds<2>(rate, down));
    const auto hand = ran<2>(folder, head + typed<2>(items, at, down, 64));
    const auto drawn = ran<2>(
        folder, head +
                    fmt::format("[layout]\nfile = 'level.svg'\nscale = 0.25\nat = [{}, {}]\n",
                                at[0], at[1]) +
                    layout);
    return check_same(*hand, *drawn);
  });
}

TEST_CASE("3D layouts: a model runs as the same level typed by hand") {
  const Folder folder;
  for_levels<3>([&](double rate, const Vec<3>& at, bool down, const std::vector<LevelItem>& items) {
    // A node's children come after it and what is beside it: here those with an odd number.
    nlohmann::json nodes = nlohmann::json::array();
    std::vector<std::size_t> children;
    std::array<std::vector<LevelItem>, 2> named;
    for (std::size_t i = 0; i < items.size(); ++i) {
      LevelItem item = items[i];
      const bool child = i % 2 == 1;  // of a node that is moved and enlarged
      const double x = item.x / 4.0;
      const double y = (64 - item.y) / 4.0;
      if (item.name.empty()) item.name = fmt::format("{}.{}", item.kind, i + 1);
      named[child ? 1 : 0].push_back(item);
      nodes.push_back({{"name", item.name},
                       {"extras", {{"kind", item.kind}}},
                       {"mesh", 0},
                       {"translation", child ? std::array{(x - 8) / 2, (y + 4) / 2, 0.0}
                                             : std::array{x, y, 0.0}}});
      if (child) children.push_back(i);
    }
    nodes.push_back({{"name", "moved"},
                     {"translation", {8, -4, 0}},
                     {"scale", {2, 2, 2}},
                     {"children", children}});
    write(folder / "level.gltf", box_model(nodes).dump());
    const std::string head = spelled<3>(kinds<3>(rate, down));
    named[0].insert(named[0].end(), named[1].begin(), named[1].end());
    const auto hand = ran<3>(folder, head + typed<3>(named[0], at, down, 64));
    const auto drawn = ran<3>(
        folder,
        head +
            fmt::format("[layout]\nfile = 'level.gltf'\nat = [{}, {}, {}]\n", at[0], at[1], at[2]) +
            "map = { wall = 'wall', crate = 'crate', coin = 'coin' }\n");
    return check_same(*hand, *drawn);
  });
}

TEST_CASE_TEMPLATE("layouts: a grid of colours runs as the same level typed by hand", T, Two,
                   Three) {
  constexpr int D = T::D;
  const Folder folder;
  for_levels<D>([&](double rate, const Vec<D>& at, bool down, const std::vector<LevelItem>&) {
    // Cells of a unit; walls are two units wide and overlap, crates stand on each other exactly.
    Random random(static_cast<std::uint64_t>(rate) + (down ? 1 : 0));
    constexpr int kWide = 20;
    constexpr int kHigh = 10;
    std::vector<LevelItem> items;
    std::array<std::array<int, kWide>, kHigh> cells{};
    for (int y = 0; y < kHigh; ++y)
      for (int x = 0; x < kWide; ++x) {
        int& cell = cells[static_cast<std::size_t>(y)][static_cast<std::size_t>(x)];
        cell = y == kHigh - 1 ? 1 : y < kHigh - 2 && random.coin(0.15) ? 2 + random.below(2) : 0;
        constexpr std::array<const char*, 4> kNames{"", "wall", "crate", "coin"};
        if (cell > 0)
          items.push_back({kNames[static_cast<std::size_t>(cell)], "", 4 * x + 2, 4 * y + 2});
      }
    write_png(folder / "grid.png", kWide, kHigh, [&](int x, int y) {
      const int cell = cells[static_cast<std::size_t>(y)][static_cast<std::size_t>(x)];
      return std::array{cell == 1 ? 255 : 0, cell == 2 ? 255 : 0, cell == 3 ? 255 : 0,
                        cell > 0 ? 255 : 0};
    });
    const std::string head = spelled<D>(kinds<D>(rate, down));
    const auto hand = ran<D>(folder, head + typed<D>(items, at, down, 4 * kHigh));
    std::string place = fmt::format("at = [{}, {}", at[0], at[1]);
    if (D == 3) place += fmt::format(", {}", at[D - 1]);
    const auto drawn = ran<D>(
        folder, head + "[layout]\nfile = 'grid.png'\n" + place + "]\n" +
                    (D == 2 ? "cell = [1, 1]\n" : "cell = [1, 1, 1]\n") +
                    "map = { '#ff0000' = 'wall', '#00ff00' = 'crate', '#0000ff' = 'coin' }\n");
    return check_same(*hand, *drawn);
  });
}
