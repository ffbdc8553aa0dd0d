// Random operations on random worlds, compared with what a few lines of brute force expect.
#include <map>
#include <set>

#include "support.hpp"
#include "touch_model.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// Zones and kinematic solids of random tags and filters, thrown about by random operations.
template <int D>
struct Throwing {
  World<D> world;
  Random random;
  std::vector<ObjectId> ids;
  int made = 0;
  explicit Throwing(std::uint64_t seed) : random(seed) {
    for (const char* tag : {"a", "b", "c"}) world.tags().declare(tag).value();
    for (int i = 0; i < 12; ++i) add();
  }
  void add() {
    static const char* const kFilters[] = {"any", "a", "!b", "a | c", "none"};
    ObjectDef<D> def = thing<D>("o" + std::to_string(made++),
                                static_cast<BodyKind>(random.below(2)), random.vec<D>(3), {});
    for (int k = random.below(3); k >= 0; --k) {
      ColliderDef<D> c = solid(random.shape<D>(0.4));
      c.at = random.vec<D>(0.3);
      c.turned = random.rotation<D>();
      c.zone = random.coin();
      c.meets = kFilters[random.below(5)];
      if (random.coin(0.2)) c.tags = {"c"};
      def.colliders.push_back(c);
    }
    if (random.coin()) def.tags.push_back("a");
    if (random.coin()) def.tags.push_back("b");
    ids.push_back(world.add(def).value());
  }
  void operate() {
    const ObjectId id = ids[static_cast<std::size_t>(random.below(static_cast<int>(ids.size())))];
    const Tag tag{static_cast<std::uint32_t>(random.below(3))};
    const Pose<D> pose{random.vec<D>(3), random.rotation<D>()};
    const bool coin = random.coin();
    const std::size_t collider = static_cast<std::size_t>(random.below(3));
    const ObjectId other =
        ids[static_cast<std::size_t>(random.below(static_cast<int>(ids.size())))];
    switch (random.below(15)) {
      case 0: world.place(id, pose); break;
      case 1: world.move_to(id, pose); break;
      case 2: world.set_shown(id, coin); break;
      case 3: coin ? world.give_tag(id, tag) : world.take_tag(id, tag); break;
      case 4: world.switch_collider(id, collider, coin); break;
      case 5:
        world.set_filter(id, collider, TagQuery::parse(coin ? "any" : "b", world.tags()).value());
        break;
      case 6:
        world.set_velocity(id, random.vec<D>(10), Spin<D>(Spin<D>::Constant(random.range(-5, 5))));
        break;
      case 7:
        if (random.coin(0.2)) world.remove(id);
        break;
      case 8: world.attach(id, other, coin ? std::optional<Pose<D>>(pose) : std::nullopt); break;
      case 9: world.detach(id); break;
      case 10:
        world.except(id, other, {.seconds = random.range(0.01, 0.3), .until_apart = coin});
        break;
      case 11:
        if (world.alive(id) && collider < world.object(id).colliders.size())
          (void)world.set_shape(id, collider, random.shape<D>(coin ? 0.2 : 0.7));
        break;
      case 12:
        if (random.coin(0.02)) world.clear();
        break;
      case 13: (void)world.set_mirrored(id, coin); break;
      default:
        if (std::count_if(ids.begin(), ids.end(),
                          [&](ObjectId known) { return world.alive(known); }) < 16)
          add();
    }
  }
};

using Key = std::tuple<std::string, std::string, Channel>;

// Who touches whom now: all colliders of all objects against all others, by the model. Only which
// two objects are excepted for a while is queried of the world.
template <int D>
std::set<Key> touching_now(const World<D>& world, double solid_reach, double zone_reach) {
  std::set<Key> touching;
  const std::vector<ObjectId> ids = world.objects();
  const auto tags_of = [&](const Object<D>& o, const ColliderDef<D>& c) {
    std::set<std::string> tags(c.tags.begin(), c.tags.end());
    for (const Tag tag : o.tags.list()) tags.insert(std::string(world.tags().name(tag)));
    return tags;
  };
  for (std::size_t i = 0; i < ids.size(); ++i)
    for (std::size_t j = i + 1; j < ids.size(); ++j) {
      const Object<D>& a = world.object(ids[i]);
      const Object<D>& b = world.object(ids[j]);
      if (!a.active || !b.active || a.root == b.root) continue;
      if (a.body == BodyKind::fixed && b.body == BodyKind::fixed) continue;
      for (std::size_t k = 0; k < a.colliders.size(); ++k)
        for (std::size_t l = 0; l < b.colliders.size(); ++l) {
          const ColliderDef<D>& ca = a.colliders[k].def;
          const ColliderDef<D>& cb = b.colliders[l].def;
          if (world.decide(ids[i], k, ids[j], l).by == DecidedBy::excepted) continue;
          if (!ca.on || !cb.on) continue;
          if (!model::accepts(ca.meets, tags_of(b, cb)) ||
              !model::accepts(cb.meets, tags_of(a, ca)))
            continue;
          const Channel channel = ca.zone || cb.zone ? Channel::zone : Channel::solid;
          const double reach = channel == Channel::zone ? zone_reach : solid_reach;
          if (model::near(model::box_of(a, ca), model::box_of(b, cb), reach))
            touching.insert({a.name, b.name, channel});
        }
    }
  return touching;
}

}  // namespace

TEST_SUITE("random") {
  TEST_CASE_TEMPLATE("touches are those of brute force, and every begin has one end", T, Two,
                     Three) {
    constexpr int D = T::D;
    const int operations = scaled(1000000);
    const int worlds = std::max(operations / 500, 2);
    std::size_t begins = 0;
    std::size_t checks = 0;
    for (int seed = 0; seed < worlds; ++seed) {
      CAPTURE(seed);
      Throwing<D> t(static_cast<std::uint64_t>(seed) + 300);
      std::set<Key> open;
      const auto follow = [&] {
        std::map<Key, Phase> seen;
        for (const Event<D>& e : t.world.events()) {
          const Key key{t.world.object(e.self).name, t.world.object(e.other).name, e.channel};
          REQUIRE(t.world.object(e.self).serial < t.world.object(e.other).serial);
          if (e.phase == Phase::begin) {
            REQUIRE(open.insert(key).second);
            ++begins;
          }
          if (e.phase == Phase::end) REQUIRE(open.erase(key) == 1);
          // One event a touch and step, unless it began and ended within it.
          if (const auto [at, fresh] = seen.emplace(key, e.phase); !fresh)
            REQUIRE((at->second == Phase::begin && e.phase == Phase::end));
        }
      };
      for (int step = 0; step < 125; ++step) {
        for (int k = 0; k < 4; ++k) t.operate();
        t.world.step();
        follow();
        // A solid touch begins within 4 mm, but when it hits if it comes fast, and lasts to 12 mm;
        // zones are exact.
        const std::set<Key> least = touching_now(t.world, -1e-9, -1e-9);
        const std::set<Key> most = touching_now(t.world, 0.012 + 1e-9, 1e-9);
        for (const Key& key : least) {
          CAPTURE(std::get<0>(key));
          CAPTURE(std::get<1>(key));
          REQUIRE(open.contains(key));
        }
        for (const Key& key : open) REQUIRE(most.contains(key));
        ++checks;
      }
      t.world.finish();
      follow();
      REQUIRE(open.empty());
    }
    MESSAGE("random: touches ", D, "D: ", worlds * 500, " operations, ", checks,
            " steps equal brute force, ", begins, " touches begun and ended once");
  }

  TEST_CASE_TEMPLATE("the same operations give the same bits, and strangers far away change none",
                     T, Two, Three) {
    constexpr int D = T::D;
    const int worlds = std::max(scaled(1000), 5);
    for (int seed = 0; seed < worlds; ++seed) {
      CAPTURE(seed);
      Throwing<D> first(static_cast<std::uint64_t>(seed) + 900);
      Throwing<D> second(static_cast<std::uint64_t>(seed) + 900);
      Throwing<D> third(static_cast<std::uint64_t>(seed) + 900);
      // Other slots, other serials, the same things: some removed at once, others that fall on each
      // other and bounce while all goes on.
      for (int i = 0; i < 10; ++i) {
        const bool stays = i % 2 != 0;
        const ObjectId stranger =
            third.world
                .add(thing<D>("stranger" + std::to_string(i),
                              stays ? BodyKind::dynamic : BodyKind::fixed,
                              Vec<D>::Constant(1e4) + along_x<D>(0.3 * i), {solid(cube<D>(1))}))
                .value();
        if (!stays) third.world.remove(stranger);
      }
      Lines logged_first;
      Lines logged_third;
      for (int step = 0; step < 100; ++step) {
        for (int k = 0; k < 3; ++k) {
          first.operate();
          second.operate();
          third.operate();
        }
        first.world.step();
        second.world.step();
        third.world.step();
        for (const std::string& line : logged(first.world)) logged_first.push_back(line);
        for (const std::string& line : logged(third.world))
          if (line.find("stranger") == std::string::npos) logged_third.push_back(line);
        REQUIRE(first.world.hash() == second.world.hash());
      }
      REQUIRE(logged_first == logged_third);
    }
    MESSAGE("random: determinism ", D, "D: ", worlds, " worlds of 100 steps, twice the same bits");
  }

  TEST_CASE_TEMPLATE("random piles stay finite and do not sink", T, Two, Three) {
    constexpr int D = T::D;
    const int worlds = std::max(scaled(200), 2);
    for (int seed = 0; seed < worlds; ++seed) {
      CAPTURE(seed);
      Random random(static_cast<std::uint64_t>(seed) + 40);
      World<D> world(earth<D>());
      world.add(thing<D>("floor", BodyKind::fixed, up<D>(-2), {solid(slab<D>(400, 4))})).value();
      std::vector<ObjectId> ids;
      for (int i = 0; i < 25; ++i) {
        Vec<D> at = random.vec<D>(3);
        at[1] = 2 + i * 0.6;
        const double size = random.range(0.3, 0.8);
        const Shape<D> shapes[] = {ball<D>(size), cube<D>(size),
                                   capsule<D>(size * 0.6, size * 1.3)};
        ObjectDef<D> def = thing<D>("p" + std::to_string(i), BodyKind::dynamic, at,
                                    {solid(shapes[random.below(3)])});
        def.colliders[0].rolling_friction = 0.1;  // so that balls come to lie, too
        def.turned = random.rotation<D>();
        ids.push_back(world.add(def).value());
      }
      double fastest = 0;
      for (int i = 0; i < 900; ++i) {
        world.step();
        for (const ObjectId id : ids) fastest = std::max(fastest, world.object(id).velocity.norm());
      }
      REQUIRE(fastest < 19);  // a fall from the top of it ends at 18
      for (const ObjectId id : ids) {
        const Object<D>& o = world.object(id);
        REQUIRE(o.pose.position.allFinite());
        REQUIRE(o.pose.position[1] > 0.08);
        REQUIRE(o.velocity.norm() < 0.1);
      }
    }
    MESSAGE("random: piles ", D, "D: ", worlds, " piles of 25 came to lie on the floor");
  }
}
