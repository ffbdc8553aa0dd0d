// Can a walker get out? Pens with a known answer, a flood of a grid as judge, and ways walked anew.
#include <colvik/leak.hpp>

#include <deque>
#include <set>

#include "random.hpp"
#include "walkers.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// A pen seen from above: in 2D without gravity, in 3D upon a floor. Turned about up, and elsewhere.
template <int D>
struct Pen {
  explicit Pen(double turn = 0, const Vec<D>& at = kZero, double rate = 60)
      : level(rate, D == 2 ? Vec<D>(kZero) : up<D>(-9.81)), turned(turn_of(turn)), offset(at) {
    if (D == 3) {
      ObjectDef<D> floor = Level<D>::box_def("floor", place(0, 0) - up<D>(0.5), 40, 1, turned);
      level.world.add(floor).value();
    }
  }
  static Rotation<D> turn_of(double turn) {
    if constexpr (D == 2) return Rotation<2>(turn);
    else return Rotation<3>(Vec<3>(0, 1, 0), turn);
  }
  [[nodiscard]] Vec<D> place(double x, double y) const {
    Vec<D> at = kZero;
    at[0] = x;
    at[D - 1] = D == 2 ? y : -y;
    return offset + turned * at;
  }
  void wall(const std::string& name, double x0, double y0, double x1, double y1, double high = 3) {
    Shape<D> shape;
    if constexpr (D == 2) shape = box(x1 - x0, y1 - y0);
    else shape = box(x1 - x0, high, y1 - y0);
    ObjectDef<D> def =
        thing<D>(name, BodyKind::fixed, place((x0 + x1) / 2, (y0 + y1) / 2), {solid(shape)});
    if (D == 3) def.at += up<D>(high / 2);
    def.turned = turned;
    level.world.add(def).value();
  }
  // From -5 to 5; a gap of this width in the east, at `y`.
  void fence(double gap, double y, double high = 3) {
    wall("south", -5.2, -5.2, 5.2, -5, high);
    wall("north", -5.2, 5, 5.2, 5.2, high);
    wall("west", -5.2, -5, -5, 5, high);
    wall("east-low", 5, -5, 5.2, y - gap / 2, high);
    wall("east-high", 5, y + gap / 2, 5.2, 5, high);
  }
  ObjectId walker(const Shape<D>& shape, double jumps = 0) {
    Walker<D> can{.speed = 4};
    can.jump_speed = jumps > 0 ? jump_speed(jumps, 9.81) : 0;
    return level.walker(can, place(-1.03, -1.01) + up<D>(D == 3 ? 0.602 : 0), shape);
  }
  // The pen in its bounds, whichever way it is turned.
  [[nodiscard]] LeakQuestion<D> question() const {
    Bounds<D> inside;
    for (const double x : {-5.5, 5.5})
      for (const double y : {-5.5, 5.5})
        inside = inside.merged(place(x, y) + up<D>(8)).merged(place(x, y) - up<D>(3));
    return {.inside = inside};
  }
  Leak<D> ask(ObjectId id) { return leak(level.world, id, question()).value(); }

  Level<D> level;
  Rotation<D> turned;
  Vec<D> offset;
};

template <int D>
Shape<D> upright_or_disc() {
  if constexpr (D == 2) return circle(0.6);
  else return capsule<3>(0.6, 1.2);
}

// Goes along the way's points in the real world; true if it ends out of the region.
template <int D>
bool follows(World<D>& world, ObjectId id, const Way<D>& way, const Bounds<D>& inside) {
  for (const auto& point : way.points)
    for (int k = 0; k < 2000; ++k) {
      const Vec<D> at = world.object(id).pose.position;
      if (!inside.contains(at)) return true;
      Vec<D> to = point.at - at;
      if (D == 3) to[1] = 0;
      if (to.norm() < 1e-4) break;
      const bool last = &point == &way.points.back();  // on beyond that; exactly to the others
      const double speed = last ? 4 : std::min(4.0, to.norm() * world.settings().rate);
      world.wish(id, {.velocity = Vec<D>(to.normalized() * speed)});
      world.step();
    }
  return !inside.contains(world.object(id).pose.position);
}

}  // namespace

TEST_CASE_TEMPLATE("a gap a fiftieth wider than the walker leaks, one as much narrower does not", T,
                   Two, Three) {
  constexpr int D = T::D;
  struct Case {
    double turn;
    double far;
    double y;
    double rate;
  };
  const Case cases[] = {
      {0, 0, 1.234, 60}, {90, 1e5, -3.017, 15}, {180, 0, 0.5, 480}, {270, -1e4, 4.1, 120}};
  for (const bool round : {false, true})
    for (const Case& c : cases)
      for (const double wide : {0.612, 0.588, 2.0, 0.0}) {
        if (wide == 2.0 && c.turn > 0) continue;
        CAPTURE(round);
        CAPTURE(c.turn);
        CAPTURE(wide);
        Pen<D> pen(radians(c.turn), along_x<D>(c.far), c.rate);
        pen.fence(wide, c.y);
        const ObjectId id =
            pen.walker(round ? upright_or_disc<D>() : slab<D>(0.6, D == 2 ? 0.6 : 1.2));
        const Leak<D> found = pen.ask(id);
        CHECK_FALSE(found.gave_up);
        REQUIRE(found.out.has_value() == (wide > 0.6));
        if (found.out) {
          CHECK(follows(pen.level.world, id, *found.out, *pen.question().inside));
        } else if (wide > 0) {
          REQUIRE(found.narrowest);
          CHECK(std::abs(found.narrowest->width - wide) < 1e-3);
          CHECK(std::abs(found.narrowest->needed - 0.6) < 1e-6);
          CHECK(std::set<std::string>{found.narrowest->first, found.narrowest->second} ==
                std::set<std::string>{"east-low", "east-high"});
        } else {
          CHECK_FALSE(found.narrowest);
        }
      }
}

TEST_CASE_TEMPLATE("a wall lower than the jump leaks, one higher does not", T, Two, Three) {
  constexpr int D = T::D;
  for (const double rate : {15.0, 480.0})
    for (const double high : {1.36, 1.44}) {
      CAPTURE(rate);
      CAPTURE(high);
      if constexpr (D == 3) {
        Pen<3> pen(0, kZero, rate);
        pen.fence(0, 0, high);
        const ObjectId id = pen.walker(slab<3>(0.6, 1.2), 1.4);
        CHECK(pen.ask(id).out.has_value() == (high < 1.4));
      } else {  // from the side
        Level<2> level(rate);
        level.box("floor", {0, -0.5}, 30, 1);
        level.box("left", {-5, high / 2}, 0.4, high);
        level.box("right", {5, high / 2}, 0.4, high);
        const ObjectId id = level.walker({.speed = 4, .jump_speed = jump_speed(1.4, 9.81)},
                                         {0, 0.602}, slab<2>(0.6, 1.2));
        const LeakQuestion<2> q{.inside = Bounds<2>{{-5.6, -1}, {5.6, 9}}};
        CHECK(leak(level.world, id, q).value().out.has_value() == (high < 1.4));
      }
    }
}

TEST_CASE(
    "into a pit one falls and does not leave, over a gap one jumps, through a hole one falls") {
  for (const double wide : {2.0, 6.0}) {  // at 4 a second it jumps 4.3 wide
    Level<2> level;
    level.box("west", {-10, -2}, 20, 4);
    level.box("east", {wide + 10, -2}, 20, 4);
    level.box("bottom", {wide / 2, -4.5}, wide + 2, 1);
    level.world.add(thing<2>("parcel", BodyKind::fixed, {wide / 2, -3.7}, {zone(circle(0.2))}))
        .value();
    level.world.add(thing<2>("lamp", BodyKind::fixed, {wide + 3, 0.3}, {zone(circle(0.2))}))
        .value();
    const ObjectId id = level.walker({.speed = 4, .jump_speed = jump_speed(1.4, 9.81)}, {-4, 0.602},
                                     slab<2>(0.6, 1.2));
    CAPTURE(wide);
    const auto reaches = [&](const std::string& what, std::optional<Vec<2>> from) {
      return leak(level.world, id, {.to = what, .from = from}).value().to.at(0).way.has_value();
    };
    CHECK(reaches("@parcel", std::nullopt));
    CHECK(reaches("@lamp", std::nullopt) == (wide < 4));
    CHECK_FALSE(reaches("@lamp", Vec<2>(wide / 2, -3.398)));
  }
  for (const double hole : {0.588, 0.612}) {
    Level<2> level;
    level.box("left", {-10, 0}, 20, 0.5);
    level.box("right", {hole + 10, 0}, 20, 0.5);
    const ObjectId id = level.walker({.speed = 4}, {-3, 0.9}, slab<2>(0.6, 1.2));
    const LeakQuestion<2> q{.inside = Bounds<2>{{-19, -4}, {19, 9}}};
    const Leak<2> found = leak(level.world, id, q).value();
    CAPTURE(hole);
    CHECK((found.out && found.out->points.back().at[1] < -3.9) == (hole > 0.6));
    // One-way ground is dropped through.
    level.one_way("trap", {0, 5}, 4, 0.2);
    const Leak<2> dropped = leak(level.world, id, {.to = "@left", .from = Vec<2>(0, 5.8)}).value();
    CHECK(dropped.to.at(0).way->points.size() >= 2);
  }
}

TEST_CASE("what a flood of a grid finds by distances alone, the search finds") {
  constexpr double kStep = 0.05;
  constexpr double kRadius = 0.3;
  int open = 0;
  int closed = 0;
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    Random random(seed);
    Level<2> level(60, kZero);
    std::vector<std::pair<Shape<2>, Pose<2>>> boxes;
    for (int i = 0; i < 18; ++i) {
      const double angle = 2 * kPi * i / 18;
      const Vec<2> at(4 * std::cos(angle), 4 * std::sin(angle));
      const Pose<2> pose{at, Rotation<2>(random.range(0, 3))};
      boxes.emplace_back(box(random.range(0.5, 2.2), random.range(0.4, 1.0)), pose);
      ObjectDef<2> def =
          thing<2>("block-" + std::to_string(i), BodyKind::fixed, at, {solid(boxes.back().first)});
      def.turned = pose.rotation;
      level.world.add(def).value();
    }
    const ObjectId id = level.walker({.speed = 4}, {0.01, 0.02}, circle(2 * kRadius));
    // Reached with a disc of this radius.
    const auto flooded = [&](double radius) {
      const int n = 130;
      std::vector<char> seen(static_cast<std::size_t>((2 * n + 1) * (2 * n + 1)));
      std::deque<std::pair<int, int>> due{{0, 0}};
      while (!due.empty()) {
        const auto [x, y] = due.front();
        due.pop_front();
        if (std::abs(x) >= n || std::abs(y) >= n) return true;
        char& mark = seen[static_cast<std::size_t>((x + n) * (2 * n + 1) + y + n)];
        const Pose<2> at{Vec<2>(x * kStep, y * kStep), {}};
        if (std::exchange(mark, 1) != 0) continue;
        bool free = true;
        for (const auto& [shape, pose] : boxes)
          free = free && gap_between(circle(2 * radius), at, shape, pose, 1.0) > 0;
        if (!free) continue;
        for (const auto& [dx, dy] : {std::pair(1, 0), {-1, 0}, {0, 1}, {0, -1}})
          due.emplace_back(x + dx, y + dy);
      }
      return false;
    };
    const bool surely_open = flooded(kRadius + 0.03);
    const bool surely_closed = !flooded(kRadius - kStep);
    const LeakQuestion<2> q{.inside = Bounds<2>{{-6, -6}, {6, 6}}};
    const Leak<2> found = leak(level.world, id, q).value();
    CAPTURE(seed);
    if (surely_open) CHECK(found.out);
    if (surely_closed) CHECK_FALSE(found.out);
    if (found.out) CHECK(follows(level.world, id, *found.out, *q.inside));
    open += surely_open ? 1 : 0;
    closed += surely_closed ? 1 : 0;
  }
  CHECK(open >= 5);
  CHECK(closed >= 5);
}

TEST_CASE("leak: what cannot be asked says so") {
  Pen<2> pen;
  pen.fence(0, 0);
  const ObjectId id = pen.walker(circle(0.6));
  World<2>& world = pen.level.world;
  const auto refused = [&](const LeakQuestion<2>& q, ObjectId who) {
    const auto answer = leak(world, who, q);
    return answer ? std::string("accepted") : answer.error().message();
  };
  const Bounds<2> inside = *pen.question().inside;
  CHECK(refused({.inside = inside}, *world.find("south")).find("no walker") != std::string::npos);
  CHECK(refused({}, id).find("region") != std::string::npos);
  CHECK(refused({.inside = inside, .from = Vec<2>(9, 0)}, id).find("outside") != std::string::npos);
  CHECK(refused({.inside = inside, .from = Vec<2>(5.1, -2)}, id).find("east-low") !=
        std::string::npos);
  CHECK(refused({.inside = inside, .resolution = -1}, id).find("above 0") != std::string::npos);
  CHECK(refused({.inside = inside, .resolution = 0.5}, id).find("half") != std::string::npos);
  CHECK(refused({.to = "@nobody"}, id).find("nobody") != std::string::npos);
  CHECK(leak(world, id, {.inside = inside, .most = 20}).value().gave_up);
}

TEST_CASE("leak: scenes in 2D and 3D are asked by names") {
  LoadedScene loaded = load_scene(COLVIK_SOURCE_DIR "/data/fenced-yard.toml");
  const Scene<2>& scene = std::get<Scene<2>>(*loaded.scene);
  const auto answered = [&](const SceneLeak& q) {
    const auto answer = leak(scene, q);
    return answer ? std::string(answer.value().out ? "out" : "closed") : answer.error().message();
  };
  CHECK(answered({.walker = "courier", .inside = "yard"}) == "closed");
  CHECK(answered({.walker = "courier", .inside = "yard", .at = 2.9}) == "out");
  CHECK(answered({.walker = "courier", .from = "parcel-b", .inside = "yard", .at = 2.9}) ==
        "closed");
  CHECK(answered({.walker = "corier", .inside = "yard"}).find("courier") != std::string::npos);
  CHECK(answered({.walker = "courier", .inside = "yrad"}).find("yard") != std::string::npos);
  CHECK(answered({.walker = "courier", .inside = "yard", .at = 7}).find("6 s") !=
        std::string::npos);
  CHECK(answered({.walker = "courier", .from = "1,2,3", .inside = "yard"}).find("no object") !=
        std::string::npos);

  // A cellar with a shaft: in 3D, up is y.
  const std::string text = R"(
colvik = 1
world = { dimension = 3, gravity = [0, -9.81, 0], length = 1 }
tags = { courier = "", wall = "" }
regions.cellar = { from = [-4, -1, -4], to = [4, 6, 4] }
kinds.wall = { tags = ["wall"] }
kinds.crate = { tags = ["wall"], collider = { box = [1, 1, 1] }, spots = { top = [0, 1.2, 0] } }
kinds.courier.body = "kinematic"
kinds.courier.collider = { box = [0.5, 1.2, 0.5] }
kinds.courier.walker = { speed = 3, jump_speed = "$jump" }
objects = [
  { name = "floor", kind = "wall", at = [0, -0.5, 0], collider = { box = [8, 1, 8] } },
  { name = "west", kind = "wall", at = [-3.5, 1, 0], collider = { box = [1, 2, 8] } },
  { name = "east", kind = "wall", at = [3.5, 1, 0], collider = { box = [1, 2, 8] } },
  { name = "north", kind = "wall", at = [0, 1, -3.5], collider = { box = [6, 2, 1] } },
  { name = "south", kind = "wall", at = [0, 1, 3.5], collider = { box = [6, 2, 1] } },
  { name = "crate", kind = "crate", at = [1, 0.5, 1] },
  { name = "courier", tags = ["courier"], at = [-1, 0.61, 0], kind = "courier" } ]
parameters.jump = 3
)";
  const LoadedScene cellar = read_scene(text, "cellar.toml");
  for (const Problem& problem : cellar.problems) FAIL(problem.message());
  const Scene<3>& deep = std::get<Scene<3>>(*cellar.scene);
  // It jumps 0.46: onto nothing. From the crate it would need 1; flying it gets out.
  const SceneLeak low{.walker = "courier", .inside = "cellar"};
  CHECK_FALSE(leak(deep, low).value().out);
  CHECK_FALSE(
      leak(deep, {.walker = "courier", .from = "crate/top", .inside = "cellar"}).value().out);
  CHECK(leak(deep, {.walker = "courier", .inside = "cellar", .fly = true}).value().out);
  const Setting higher{"jump", "4.6"};  // 1.08: by way of the crate
  const LoadedScene higher_cellar = read_scene(text, "cellar.toml", {&higher, 1});
  REQUIRE(higher_cellar.ok());
  const Leak<3> out = leak(std::get<Scene<3>>(*higher_cellar.scene), low).value();
  REQUIRE(out.out);
  CHECK(std::count_if(out.out->points.begin(), out.out->points.end(),
                      [](const auto& p) { return p.by == Going::jump; }) == 2);
}
