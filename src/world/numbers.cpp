// Numbers with names, of the world and of objects.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "world/impl.h"

namespace colvik {

using world::ObjectState;

template <int D>
std::vector<Number>* World<D>::Impl::numbers_of(NumberOwner whose) {
  if (!whose.object) return &numbers;
  ObjectState<D>* o = state(*whose.object);
  return o != nullptr ? &o->shown.numbers : nullptr;
}

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
  if (!(std::abs(value) <= 1e15)) return Error{where, fmt::format("{} is out of range", value), "finite, up to 1e15"};
  std::vector<Number>* numbers = impl_->numbers_of(owner);
  if (numbers == nullptr) return Error{where, "its object was removed", "a live object"};
  if (Number* n = find_number(*numbers, name)) n->value = value;
  else numbers->push_back({std::string(name), value});
  return {};
}

template <int D>
template <class F>
bool World<D>::Impl::change_number(NumberOwner whose, std::string_view name, F&& to) {
  std::vector<Number>* known = numbers_of(whose);
  if (known == nullptr || find_number(*known, name) == nullptr) return false;
  const auto act = [to, name = std::string(name)](std::vector<Number>& all) {
    if (Number* n = find_number(all, name)) n->value = to(n->value);
  };
  if (whose.object) return change(*whose.object, [act](ObjectState<D>& o) { act(o.shown.numbers); });
  now_or_later([this, act] { act(numbers); });
  return true;
}

template <int D>
bool World<D>::add_to_number(NumberOwner owner, std::string_view name, double by, double lowest) {
  if (!std::isfinite(by)) return false;
  return impl_->change_number(
      owner, name, [by, lowest](double value) { return std::clamp(value + by, std::min(lowest, value), 1e15); });
}
template <int D>
bool World<D>::put_number(NumberOwner owner, std::string_view name, double to) {
  if (!(std::abs(to) <= 1e15)) return false;
  return impl_->change_number(owner, name, [to](double) { return to; });
}
template <int D>
bool World<D>::clamp_number(NumberOwner owner, std::string_view name, double least, double most) {
  if (!(least <= most)) return false;
  return impl_->change_number(owner, name, [least, most](double value) { return std::clamp(value, least, most); });
}

template <int D>
std::optional<double> World<D>::number(NumberOwner owner, std::string_view name) const {
  std::vector<Number>* numbers = impl_->numbers_of(owner);
  const Number* n = numbers != nullptr ? find_number(*numbers, name) : nullptr;
  return n != nullptr ? std::optional<double>(n->value) : std::nullopt;
}
template <int D>
std::span<const Number> World<D>::numbers() const {
  return impl_->numbers;
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template Result<void> World<2>::set_number(NumberOwner, std::string_view, double);
template bool World<2>::add_to_number(NumberOwner, std::string_view, double, double);
template bool World<2>::put_number(NumberOwner, std::string_view, double);
template bool World<2>::clamp_number(NumberOwner, std::string_view, double, double);
template std::optional<double> World<2>::number(NumberOwner, std::string_view) const;
template std::span<const Number> World<2>::numbers() const;
template Result<void> World<3>::set_number(NumberOwner, std::string_view, double);
template bool World<3>::add_to_number(NumberOwner, std::string_view, double, double);
template bool World<3>::put_number(NumberOwner, std::string_view, double);
template bool World<3>::clamp_number(NumberOwner, std::string_view, double, double);
template std::optional<double> World<3>::number(NumberOwner, std::string_view) const;
template std::span<const Number> World<3>::numbers() const;

}  // namespace colvik
