#pragma once
/// Scene files: worlds, reactions and expectations as TOML. docs/scene.md lists every key.
///
///     auto loaded = colvik::load_scene("night-depot.toml");
///     if (!loaded.ok()) ... loaded.problems ...
///     std::visit([](auto& scene) { auto run = start_run(scene); run->run_for(scene.length); },
///     *loaded.scene);

#include <colvik/export.hpp>
#include <colvik/run.hpp>

#include <map>

namespace colvik {

/// Something wrong in a file: "file:line:column: what; accepted".
struct COLVIK_EXPORT Problem {
  Place place;
  std::string what;
  std::string accepted;
  [[nodiscard]] std::string message() const;
};

/// Where the keys of an object, reaction, input or expectation stand, also those of its kinds:
/// "at", "collider.meets", "do.2" (counted from 1).
using KeyPlaces = std::shared_ptr<const std::map<std::string, Place>>;

/// A scene as it was written, checked.
template <int D>
struct Scene {
  std::string file;
  WorldSettings<D> world;
  double length = 10;                                     ///< seconds to run
  std::vector<std::pair<std::string, std::string>> tags;  ///< name, meaning
  std::vector<Number> numbers;
  std::map<std::string, Bounds<D>> regions;
  std::string view;                 ///< region that pictures show; "" shows all
  std::vector<ObjectDef<D>> kinds;  ///< those that can be spawned
  std::vector<typename Run<D>::TimedInput> inputs;
  /// What a held key does where the scene is played (`colvik watch`). What several keys want of a
  /// walker adds up.
  struct Control {
    std::string key;     ///< one of control_keys()
    std::string walker;  ///< name of an object; "" for an input alone
    Wish<D> wish{};
    std::string input;  ///< given once when the key is pressed; "": none
    Place place{};
  };
  std::vector<Control> controls;
  std::vector<ObjectDef<D>> objects;
  struct Excepted {
    std::string first;
    std::string second;  ///< names of objects
    Place place;
  };
  std::vector<Excepted> excepted;  ///< who do not meet
  std::vector<Reaction<D>> reactions;
  std::vector<Expectation<D>> expectations;
  /// A finding of check() that is meant so.
  struct Accepted {
    std::string finding;  ///< its id
    std::string of;       ///< only of this object, tag or reaction; "": all of that id
    std::string because;
    Place place;
  };
  std::vector<Accepted> accepted;
  std::vector<Place> tag_places;
  std::vector<Place> input_places;
  std::vector<KeyPlaces> input_keys;
  std::vector<KeyPlaces> object_keys;
  std::vector<KeyPlaces> kind_keys;
  std::vector<KeyPlaces> reaction_keys;
  std::vector<KeyPlaces> expectation_keys;
  std::vector<Place> object_places;
  std::vector<Place> reaction_places;
  std::vector<Place> kind_places;
  std::vector<Problem> notes;  ///< what was mended in shapes and left out of art, in plain words
  /// A collider that was fitted to art, as it was worked out.
  struct Fitted {
    Place place;       ///< of the key
    std::string text;  ///< as a scene file spells it, a key a line
    std::string how;   ///< "capsule: overlap 93.1%, 0.02 outward, 0 inward"
  };
  std::vector<Fitted> fitted;
  /// Of each object: the element of a layout that it was made of, "<rect id=\"door\">"; "" of
  /// others. Its place is the element's.
  std::vector<std::string> object_sources;
};

struct LoadedScene {
  std::optional<std::variant<Scene<2>, Scene<3>>> scene;  ///< only when there are no problems
  std::vector<Problem> problems;                          ///< in order of place, each once
  [[nodiscard]] bool ok() const { return scene.has_value(); }
};

/// A value for a named parameter, "speed" "5".
using Setting = std::pair<std::string, std::string>;

/// Reads a scene from a file. Safe on hostile input. Reports as many problems as it finds. Files
/// that it names must be in `files`, a folder; in the scene's own if empty.
[[nodiscard]] COLVIK_EXPORT LoadedScene load_scene(const std::string& path,
                                                   std::span<const Setting> settings = {},
                                                   const std::string& files = {});
/// The same from text; `name` stands for the file in messages, and pictures are searched for beside
/// it.
[[nodiscard]] COLVIK_EXPORT LoadedScene read_scene(std::string_view text, const std::string& name,
                                                   std::span<const Setting> settings = {},
                                                   const std::string& files = {});

/// A run of the scene, before its first step. Throws UncheckedError for a scene
/// that did not come from load_scene and cannot be used.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::unique_ptr<Run<D>> start_run(const Scene<D>& scene);

/// A value of a kind, and where it comes from.
struct ResolvedValue {
  std::string key;    ///< "body", or "collider.box"
  std::string value;  ///< as written
  std::string kind;   ///< that declares it
  Place place;
  std::string replaces;  ///< what it takes the place of; "" if nothing
};
/// A kind of a scene file with all that it inherits, nearest first. Fails on an unknown kind and on
/// circles.
[[nodiscard]] COLVIK_EXPORT Result<std::vector<ResolvedValue>> resolve_kind(
    const std::string& path, const std::string& kind);

/// Keys of a keyboard that controls may name: left, right, up, down, space, enter, shift, letters
/// and digits.
[[nodiscard]] COLVIK_EXPORT std::span<const std::string> control_keys();

/// A key that scene files may use.
struct SceneKey {
  std::string_view section;
  std::string_view name;
  std::string_view type;
  std::string_view meaning;
};
/// All of them, by section; the reader accepts no others.
[[nodiscard]] COLVIK_EXPORT std::span<const SceneKey> scene_keys();

}  // namespace colvik
