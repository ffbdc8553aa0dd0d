#pragma once
// From a parsed file to a Scene<D>. objects and kinds: read_objects.cpp; copies: read_layout.cpp;
// motions and schedules: read_motion.cpp; shapes: read_shape.cpp; shapes fitted to art:
// read_fit.cpp; layouts from drawings: read_drawn.cpp; reactions: read_reactions.cpp and
// read_effects.cpp; expectations: read_rules.cpp; the rest and the order of reading: load.cpp.
#include <set>

#include <colvik/art.hpp>
#include "scene/reader.h"

namespace colvik::scene {

template <int D>
class SceneReader {
 public:
  SceneReader(Context& context, const toml::table& root)
      : context_(context), top_(context, "scene", {&root}) {}

  // Reads everything; problems are in the context.
  Scene<D> read();

 private:
  void read_world();
  void read_tags();
  void read_regions();
  void read_kinds();
  void read_objects();
  void read_inputs();
  void read_controls();
  void read_accepted();
  void read_reactions();
  void read_expectations();
  void try_out();  // builds the world once, to report what only a world can find

  // read_objects.cpp
  struct Kind {
    const toml::table* table = nullptr;
    std::vector<const toml::table*> layers;  // itself, what it is like, and so on
  };
  const Kind* find_kind(const toml::node& at, const std::string& name);
  std::vector<const toml::table*> kind_layers(const std::string& name, const toml::table& table);
  ObjectDef<D> read_object(const Section& s);
  void read_parent(const Section& s, ObjectDef<D>& def);

  // read_motion.cpp
  void read_motion(const Section& s, ObjectDef<D>& def);
  Motion<D> read_path(const Section& s);
  Motion<D> read_velocities(const Section& s);
  Motion<D> read_circling(const Section& s);
  Motion<D> read_approach(const Section& s);
  void read_schedule(const Section& s, ColliderDef<D>& c);
  void read_pushes(const Section& s, ObjectDef<D>& def);
  void read_locks(const Section& s, ObjectDef<D>& def);
  std::optional<Spin<D>> read_turning(const Section& s, std::string_view key);

  // read_walker.cpp
  void read_walker(const Section& s, ObjectDef<D>& def);
  void read_wishes(const Section& s, ObjectDef<D>& def);
  void read_wish_list(const std::vector<Section>& list, ObjectDef<D>& def);
  Drawing<D> read_drawing(const Section& s);  // read_objects.cpp

  // read_layout.cpp
  void add_copy(const ObjectDef<D>& def, const std::string& name, const Pose<D>& at,
                const toml::table& own) {
    add_copy(def, name, at, context_.place(own), "");
  }
  void add_copy(const ObjectDef<D>& def, const std::string& name, const Pose<D>& at,
                const Place& place, const std::string& source);
  void add_copies(const Section& s, const ObjectDef<D>& def, const toml::table& own);
  void add_row(const Section& layout, const ObjectDef<D>& def, const toml::table& own);
  void add_grid(const Section& layout, const ObjectDef<D>& def, const toml::table& own);
  void add_ring(const Section& layout, const ObjectDef<D>& def, const toml::table& own);
  void add_border(const Section& s, const ObjectDef<D>& def, const toml::table& own);
  void add_picture(const Section& s, const ObjectDef<D>& def, const toml::table& own);
  void add_scatter(const Section& layout, const ObjectDef<D>& def, const toml::table& own);

  // read_objects.cpp
  std::vector<ColliderDef<D>> read_colliders(const Section& s);
  std::optional<ColliderDef<D>> read_collider(const Section& s);

  // read_fit.cpp
  struct FitRequest;
  // A frame after another begins at a time of its own.
  struct Frames {
    std::vector<Placed<D>> colliders;
    std::vector<double> at;
  };
  std::optional<Frames> read_fit(const Section& collider);
  std::optional<FitRequest> read_request(const Section& s);
  std::optional<std::array<std::uint8_t, 3>> read_colour(const Section& s, std::string_view key);
  std::optional<Fit> read_fit_name(const Section& s, std::string_view key);
  bool read_size(const Section& s, FitRequest& request);
  bool read_frames(const Section& s, FitRequest& request);
  bool cut_frames(FitRequest& request, std::vector<std::array<int, 4>>& parts);
  std::optional<Art<D>> art_of_frame(const FitRequest& request, std::size_t frame,
                                     const std::array<int, 4>& part);
  std::optional<Placed<D>> fit_frame(const FitRequest& request, std::size_t frame,
                                     const std::array<int, 4>& part);
  std::optional<Placed<D>> fitted(const toml::node& at, const Art<D>& art, std::optional<Fit> as,
                                  const FitOptions<D>& options);
  void show_frames(const Frames& frames, const Section& s, const ColliderDef<D>& def,
                   std::vector<ColliderDef<D>>& list);
  std::shared_ptr<const Pixels> picture_in(const toml::node& at, const std::string& path);
  std::shared_ptr<const Model> model_in(const toml::node& at, const std::string& path, double time);
  void note(const toml::node& at, const std::string& text);

  // read_drawn.cpp
  struct Mapped {
    std::string kind;
    std::optional<std::uint64_t> count;
    std::optional<Fit> fit;
    const toml::node* node = nullptr;
    std::uint64_t found = 0;
    std::optional<ObjectDef<D>> def{};
    std::vector<std::size_t> shapeless{};  // of its colliders
    std::vector<const toml::table*> layers{};
  };
  struct Drawn;
  void read_layouts();
  void read_drawn(const toml::table& own);
  void read_map(Drawn& layout);
  void compare_with_map(const Drawn& layout);
  void read_svg_layout(Drawn& layout);
  void read_png_layout(Drawn& layout);
  void read_gltf_layout(Drawn& layout);
  Mapped* mapped(Drawn& layout, const std::vector<std::string>& names);
  bool ready(Drawn& layout, Mapped& mapped);
  void add_drawn(Drawn& layout, Mapped& mapped, const std::string& name, const Pose<D>& at,
                 const std::optional<Placed<D>>& shape, const Place& place,
                 const std::string& source, const std::vector<std::string>& tags = {});
  std::optional<Placed<D>> shape_of(Drawn& layout, const Mapped& mapped, const DrawnShape& shape);

  // read_shape.cpp
  std::optional<Shape<D>> read_shape(const Section& s);
  std::optional<Shape<D>> read_shape_named(const Section& s, std::string_view which);
  std::optional<Shape<D>> read_flat_shape(const Section& s,
                                          std::string_view which);  // of 2D scenes only
  std::optional<Shape<D>> read_solid_shape(const Section& s,
                                           std::string_view which);  // of 3D scenes only
  std::optional<Shape<D>> read_compound(const Section& s);
  std::optional<Shape<D>> made(const Result<Shape<D>>& shape, const toml::node& at,
                               const Mended& mended = {});
  std::vector<Vec<D>> read_points(const Section& s, std::string_view key);
  std::vector<Vec<D>> points_in(const toml::node& node, std::string_view name);
  std::optional<Art<3>> read_model_of(const Section& s);

  std::vector<std::string> read_tag_list(const Section& s, std::string_view key);
  std::vector<Number> read_numbers(const Section& s, std::string_view key);
  std::string read_query(const Section& s, std::string_view key);
  const Bounds<D>* read_region(const Section& s, std::string_view key, bool with_an_end = true);

  // read_effects.cpp
  struct EffectReader;
  std::optional<Effect> read_effect(const Section& s);
  std::optional<Target> read_target(const Section& s, std::string_view key);

  // read_reactions.cpp
  void check_switches();
  Start read_start(const Section& s);
  std::vector<Condition> read_conditions(const Section& reaction, std::string_view key);

  // read_rules.cpp
  struct ExpectationReader;
  std::optional<Expectation<D>> read_expectation(const Section& s, std::string_view subject);
  std::string read_who(const Section& s, std::string_view key);
  std::string check_number_name(const toml::node& at, const std::string& text);
  std::string read_number_name(const Section& s, std::string_view key);
  [[nodiscard]] bool failed_before(const std::string& object) const;
  bool check_who(const toml::node& at, const std::string& text);
  std::optional<Channel> read_channel(const Section& s);

  Context& context_;
  Section top_;
  Scene<D> scene_;
  Tags tags_;
  std::map<std::string, Kind> kinds_;
  std::vector<std::string> kind_names_;
  bool reading_kinds_ = false;
  std::set<std::string> declared_objects_;  // names in the file, whether or not they could be read
  std::set<std::string> declared_regions_;
  std::vector<const toml::table*> layers_at_hand_;              // of the object that is being read
  KeyPlaces keys_at_hand_;                                      // likewise
  std::vector<std::vector<const toml::table*>> object_layers_;  // of the scene's objects
  bool shape_follows_ = false;          // of the collider at hand, from the border it is part of
  bool lacks_shape_ = false;            // the collider at hand, whose shape follows
  std::vector<std::size_t> shapeless_;  // such colliders of the object at hand
  const Section* object_at_hand_ = nullptr;
  std::optional<Frames> frames_;  // of the collider at hand, if it is fitted
  std::map<std::string, std::shared_ptr<const Pixels>> pictures_;
  std::map<std::string, std::shared_ptr<const Model>> models_;
  // By all that they are worked out from.
  std::map<std::string, std::pair<Placed<D>, typename Scene<D>::Fitted>> fits_;
  std::map<std::string, int> drawn_of_kind_;
  std::optional<Vec<D>> covers_;  // centre of the region that the collider at hand covers
  // Those colliders of the object at hand that cover a region wherever it is.
  std::vector<std::pair<std::size_t, Vec<D>>> covering_;
  std::vector<std::pair<const toml::node*, std::string>>
      objects_meant_;  // names of objects that may come later
};

}  // namespace colvik::scene
