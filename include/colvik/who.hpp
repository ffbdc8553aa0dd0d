#pragma once
/// Who is meant: a tag query ("parcel & !fragile"), or one object by name ("@stamp-parcel").

#include <colvik/export.hpp>
#include <colvik/object.hpp>

namespace colvik {

class COLVIK_EXPORT Who {
 public:
  /// Everyone.
  Who() = default;
  /// Fails on an undeclared tag or a query that cannot be read.
  static Result<Who> parse(std::string_view text, const Tags& tags);

  [[nodiscard]] bool matches(std::string_view name, const TagSet& tags) const {
    return object_.empty() ? query_.matches(tags) : object_ == name;
  }
  /// The object's name when one object is meant, else "".
  [[nodiscard]] const std::string& object() const { return object_; }
  [[nodiscard]] const TagQuery& query() const {
    return query_;
  }  ///< `any` when one object is meant
  /// As it was written.
  [[nodiscard]] std::string text() const { return object_.empty() ? query_.text() : "@" + object_; }

 private:
  TagQuery query_;
  std::string object_;
};

}  // namespace colvik
