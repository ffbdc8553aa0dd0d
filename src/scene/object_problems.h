#pragma once
// What is wrong with objects when they are added to a world: at the key that says so, and once for
// all copies of a row or of a kind.
#include <colvik/scene.hpp>

#include "scene/reader.h"

namespace colvik::scene {

// The place of the key that an error is about, in the nearest of an object's layers that has it;
// else `object`, that of the whole.
[[nodiscard]] Place place_of(const Context& context, const std::vector<const toml::table*>& layers,
                             const Place& object, const std::string& where);

class ObjectProblems {
 public:
  // `source`: the element of a drawing that it was made of, or "".
  void add(const Place& place, const std::string& name, const std::string& source,
           const Error& error);
  // Whether there was any.
  bool report(Context& context) const;

 private:
  struct Same {
    Place place;
    std::string rest;  // of the message, without the object's name
    Problem first;
    std::size_t count = 0;
  };
  std::vector<Same> all_;
};

}  // namespace colvik::scene
