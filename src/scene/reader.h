#pragma once
// Typed access to TOML that reports each problem with its place, and continues.
#include <colvik/scene.hpp>

#include <toml++/toml.h>

#include <set>

namespace colvik::scene {

// What one scene file is read with.
struct Context {
  std::string file;
  std::string files;  // folder that files which it names must be in; the scene's own if empty
  std::vector<Problem> problems;
  std::map<std::string, const toml::node*> parameters;
  std::vector<std::string> parameter_names;

  void report(const toml::source_position& at, std::string what, std::string accepted);
  void report(const toml::node& at, std::string what, std::string accepted) {
    report(at.source().begin, std::move(what), std::move(accepted));
  }
  // "where: what; accepted" of what failed for the node.
  void report(const toml::node& at, const Error& error) {
    report(at, error.where + ": " + error.what, error.accepted);
  }
  [[nodiscard]] Place place(const toml::node& at) const;
  // Of keys and of what is directly inside them; what stands in several layers, in the first.
  [[nodiscard]] KeyPlaces key_places(const std::vector<const toml::table*>& layers) const;
  // The node itself, or the parameter that "$name" stands for; null (reported) for an unknown one.
  const toml::node* resolve(const toml::node& node);
  bool reported_at(const toml::node& node) const;
  // The path of a file that the scene names; nothing (reported) for one outside the folder.
  std::optional<std::string> path_of(const toml::node& at, const std::string& name);
};

// The entries of a table in the order in which they stand in the file.
[[nodiscard]] std::vector<std::pair<const toml::key*, const toml::node*>> in_file_order(
    const toml::table& table);
[[nodiscard]] std::vector<std::string> keys_of(std::string_view section);
// "a number, but it is text"
[[nodiscard]] std::string_view type_name(const toml::node& node);

// A table, or several of which earlier ones override later ones (an object, its kind, the kind's
// kind). Keys that the section does not have are reported, for the first table only: kinds are read
// on their own.
class Section {
 public:
  Section(Context& context, std::string_view section, std::vector<const toml::table*> layers);

  [[nodiscard]] bool has(std::string_view key) const { return find(key) != nullptr; }
  // As written, parameters resolved.
  [[nodiscard]] const toml::node* find(std::string_view key) const;
  // The table of each layer under `key`, for keys that are inherited piece by piece.
  [[nodiscard]] std::vector<const toml::table*> layers_of(std::string_view key) const;
  [[nodiscard]] const std::vector<const toml::table*>& layers() const { return layers_; }
  // Where the section stands.
  [[nodiscard]] const toml::node& node() const { return *layers_.front(); }
  void require(std::string_view key, std::string_view accepted) const;

  // Each returns nothing when the key is not there or its value is not usable (then reported).
  std::optional<double> number(std::string_view key, double least = -1e300,
                               double most = 1e300) const;
  std::optional<std::uint64_t> whole(std::string_view key, std::uint64_t least,
                                     std::uint64_t most) const;
  std::optional<bool> boolean(std::string_view key) const;
  std::optional<std::string> text(std::string_view key) const;
  std::vector<std::string> texts(std::string_view key) const;  // a list, or one text
  std::vector<Section> tables(std::string_view key, std::string_view section) const;
  std::optional<Section> table(std::string_view key, std::string_view section) const;
  template <int D>
  std::optional<Vec<D>> vector(std::string_view key) const;
  template <int D>
  std::optional<Rotation<D>> turn(std::string_view key) const;
  template <int D>
  std::optional<Spin<D>> spin(std::string_view key) const;  // from degrees
  // One of a few words; reported with the nearest otherwise.
  std::optional<std::size_t> choice(std::string_view key, std::span<const std::string> words) const;

  Context& context() const { return *context_; }

 private:
  const toml::array* array(std::string_view key, std::string_view of) const;
  Context* context_;
  std::string_view section_;
  std::vector<const toml::table*> layers_;
};

template <>
std::optional<Rotation<2>> Section::turn<2>(std::string_view key) const;
template <>
std::optional<Rotation<3>> Section::turn<3>(std::string_view key) const;
template <>
std::optional<Spin<2>> Section::spin<2>(std::string_view key) const;
template <>
std::optional<Spin<3>> Section::spin<3>(std::string_view key) const;

// The number a node holds; reported as lacking when it is none.
std::optional<double> number_in(Context& context, const toml::node& node, std::string_view name,
                                double least = -1e300, double most = 1e300);
std::optional<std::string> text_in(Context& context, const toml::node& node, std::string_view name);
template <int D>
std::optional<Vec<D>> vector_in(Context& context, const toml::node& node, std::string_view name);

}  // namespace colvik::scene
