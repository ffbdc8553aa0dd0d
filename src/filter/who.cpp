#include <colvik/who.hpp>

#include <fmt/format.h>

namespace colvik {

Result<Who> Who::parse(std::string_view text, const Tags& tags) {
  Who who;
  if (text.starts_with('@')) {
    who.object_ = std::string(text.substr(1));
    if (!is_plain_name(who.object_))
      return Error{
          {}, fmt::format("'{}' does not name an object", text), "'@' and an object's name"};
    return who;
  }
  Result<TagQuery> query = TagQuery::parse(text, tags);
  if (!query) return query.error();
  who.query_ = std::move(query).value();
  return who;
}

}  // namespace colvik
