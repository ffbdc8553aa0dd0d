// What it costs to record: 1,000 bodies that fly about in a closed room for 60 s, never at rest.
#include <colvik/recording.hpp>

#include <filesystem>

#include "bench.hpp"
#include "things.hpp"

namespace bench {
namespace {

using namespace colvik::test;

enum class Kept { nothing, trace, file, ring };

template <int D>
std::unique_ptr<Run<D>> busy_room(int bodies) {
  WorldSettings<D> settings;
  settings.gravity = kZero;
  auto run = std::make_unique<Run<D>>(settings);
  const double half = D == 2 ? 30 : 10;
  for (int axis = 0; axis < D; ++axis)
    for (const double side : {-1.0, 1.0}) {
      Vec<D> at = kZero;
      at[axis] = side * (half + 1);
      Vec<D> size = Vec<D>::Constant(2 * half + 4);
      size[axis] = 2;
      Shape<D> shape;
      if constexpr (D == 2) shape = box(size.x(), size.y());
      else shape = box(size.x(), size.y(), size.z());
      run->world
          .add(thing<D>("wall-" + std::to_string(axis) + (side > 0 ? "b" : "a"), BodyKind::fixed,
                        at, {solid(shape)}))
          .value();
    }
  Random random(7);
  for (int i = 0; i < bodies; ++i) {
    Shape<D> shape = ball<D>(0.5);
    if (i % 2 == 0) {
      if constexpr (D == 2) shape = box(0.5, 0.4);
      else shape = box(0.5, 0.4, 0.6);
    }
    ObjectDef<D> def = thing<D>("body-" + std::to_string(i), BodyKind::dynamic,
                                random.vec<D>(half - 1), {solid(shape)});
    def.colliders[0].restitution = 1;
    def.velocity = random.vec<D>(6);
    run->world.add(def).value();
  }
  return run;
}

template <int D>
void recording_row(const char* group, Kept kept, const char* name) {
  row(group, name,
      [kept](benchmark::State& state) {
        const std::string path =
            (std::filesystem::temp_directory_path() / "colvik-bench.rec").string();
        double megabytes = 0;
        for (auto _ : state) {
          const auto run = busy_room<D>(1000);
          std::unique_ptr<RecordingFile<D>> file;
          std::unique_ptr<Recorder<D>> ring;
          if (kept == Kept::file) {
            file = RecordingFile<D>::create(path, run->world, run->rules).value();
            file->follow(*run);
          }
          if (kept == Kept::ring) ring = std::make_unique<Recorder<D>>(run->world, run->rules);
          for (int i = 0; i < 3600; ++i) {
            if (kept == Kept::trace || kept == Kept::file) run->step();
            else run->world.step();
            if (ring) ring->record();
          }
          if (file) {
            file->finish().value();
            megabytes = static_cast<double>(std::filesystem::file_size(path)) / 1e6;
          }
          if (ring) megabytes = static_cast<double>(ring->bytes()) / 1e6;
        }
        if (std::getenv("KEEP") == nullptr) std::filesystem::remove(path);
        state.counters["MB"] = megabytes;
      })
      ->Unit(benchmark::kSecond)
      ->Iterations(1);
}

template <int D>
void recording_rows(const char* group) {
  recording_row<D>(group, Kept::nothing, "world alone");
  recording_row<D>(group, Kept::trace, "run with its trace");
  recording_row<D>(group, Kept::file, "run, recorded to a file");
  recording_row<D>(group, Kept::ring, "world, with a recorder");
}

}  // namespace

void register_recording() {
  recording_rows<2>("recording/2D");
  recording_rows<3>("recording/3D");
}

}  // namespace bench
