// Public calls about numbers of objects and of the world.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "world/impl.h"

namespace colvik {

namespace {

Number* find_number(std::vector<Number>& numbers, std::string_view name) {
  for (Number& n : numbers)
    if (n.name == name) return &n;
  return nullptr;
}

}  // namespace

template <int D>
Result<void> World<D>::set_number(NumberOwner owner, std::string_view name, double value) {
  const std::string where = fmt::format("number '{}'", name);
  if (!is_plain_name(name)) return Error{where, "is not a name", "letters, digits and - _ ."};
  if (!(std::abs(value) <= 1e15))
    return Error{where, fmt::format("{} is out of range", value), "finite, up to 1e15"};
  std::vector<Number>* numbers = world::numbers_of(impl_->store, owner);
  if (numbers == nullptr) return Error{where, "its object was removed", "a live object"};
  if (Number* n = find_number(*numbers, name)) n->value = value;
  else numbers->push_back({std::string(name), value});
  return {};
}

template <int D>
template <class F>
bool World<D>::Impl::change_number(NumberOwner whose, std::string_view name, F&& to) {
  std::vector<Number>* known = world::numbers_of(this->store, whose);
  if (known == nullptr || find_number(*known, name) == nullptr) return false;
  const auto act = [to, name = std::string(name)](std::vector<Number>& all) {
    if (Number* n = find_number(all, name)) n->value = to(n->value);
  };
  if (whose.object)
    return change(*whose.object, [act](world::ObjectState<D>& o) { act(o.shown.numbers); });
  now_or_later([this, act] { act(this->store.numbers); });
  return true;
}

template <int D>
bool World<D>::add_to_number(NumberOwner owner, std::string_view name, double by, double lowest) {
  if (!std::isfinite(by)) return false;
  return impl_->change_number(owner, name, [by, lowest](double value) {
    return std::clamp(value + by, std::min(lowest, value), 1e15);
  });
}

template <int D>
bool World<D>::put_number(NumberOwner owner, std::string_view name, double to) {
  if (!(std::abs(to) <= 1e15)) return false;
  return impl_->change_number(owner, name, [to](double) { return to; });
}

template <int D>
bool World<D>::clamp_number(NumberOwner owner, std::string_view name, double least, double most) {
  if (!(least <= most)) return false;
  return impl_->change_number(
      owner, name, [least, most](double value) { return std::clamp(value, least, most); });
}

template <int D>
std::optional<double> World<D>::number(NumberOwner owner, std::string_view name) const {
  std::vector<Number>* numbers = world::numbers_of(impl_->store, owner);
  const Number* n = numbers != nullptr ? find_number(*numbers, name) : nullptr;
  return n != nullptr ? std::optional<double>(n->value) : std::nullopt;
}

template <int D>
std::span<const Number> World<D>::numbers() const {
  return impl_->store.numbers;
}

template Result<void> World<2>::set_number(NumberOwner owner, std::string_view name, double value);
template Result<void> World<3>::set_number(NumberOwner owner, std::string_view name, double value);
template bool World<2>::add_to_number(NumberOwner owner, std::string_view name, double by,
                                      double lowest);
template bool World<3>::add_to_number(NumberOwner owner, std::string_view name, double by,
                                      double lowest);
template bool World<2>::put_number(NumberOwner owner, std::string_view name, double to);
template bool World<3>::put_number(NumberOwner owner, std::string_view name, double to);
template bool World<2>::clamp_number(NumberOwner owner, std::string_view name, double least,
                                     double most);
template bool World<3>::clamp_number(NumberOwner owner, std::string_view name, double least,
                                     double most);
template std::optional<double> World<2>::number(NumberOwner owner, std::string_view name) const;
template std::optional<double> World<3>::number(NumberOwner owner, std::string_view name) const;
template std::span<const Number> World<2>::numbers() const;
template std::span<const Number> World<3>::numbers() const;

}  // namespace colvik
