// Numbers that something waits for: whether they can get there.
#include <fmt/format.h>

#include <cmath>

#include "explain/checking.h"

namespace colvik::reasons {

namespace {

// What a number of that name, whoever has it, can come to: from its first values by what effects
// add and set. Unknown where an amount is itself a number.
struct Course {
  std::vector<double> bases;  // first values, and those it is set to
  double step = 0;            // all that is added are multiples of it; 0: nothing, or no such step
  bool rises = false;
  bool falls = false;
  bool known = true;
  bool stepped = true;  // has a common step

  void add(double by) {
    rises = rises || by > 0;
    falls = falls || by < 0;
    const double size = std::abs(by);
    if (size == 0) return;
    const double smaller = step > 0 ? std::min(step, size) : size;
    const double larger = std::max(step, size);
    const double times = larger / smaller;
    stepped = stepped && std::abs(times - std::round(times)) < 1e-9;
    step = smaller;
  }
  [[nodiscard]] bool reaches(double value) const {
    return std::any_of(bases.begin(), bases.end(), [&](double base) {
      return (value >= base || falls) && (value <= base || rises);
    });
  }
  [[nodiscard]] bool comes_to(double value) const {  // exactly
    if (!reaches(value)) return false;
    if (!stepped || step == 0) return true;
    return std::any_of(bases.begin(), bases.end(), [&](double base) {
      const double times = (value - base) / step;
      return std::abs(times - std::round(times)) < 1e-9;
    });
  }
};

template <int D>
Course course_of(const Checking<D>& c, const std::string& name) {
  Course course;
  for (const Number& n : c.scene.numbers)
    if (n.name == name) course.bases.push_back(n.value);
  for (const Known<D>& k : c.all)
    for (const Number& n : k.def->numbers)
      if (n.name == name) course.bases.push_back(n.value);
  for (const Reaction<D>& r : c.scene.reactions)
    for (const Effect& e : r.effects) {
      if (const auto* add = std::get_if<effects::Add>(&e.what);
          add != nullptr && last_part(add->number) == name) {
        course.known = course.known && add->by.of.empty();
        course.add(add->by.by);
      } else if (const auto* set = std::get_if<effects::Set>(&e.what);
                 set != nullptr && last_part(set->number) == name) {
        course.known = course.known && set->to.of.empty();
        course.bases.push_back(set->to.by);
      } else if (const auto* clamp = std::get_if<effects::Clamp>(&e.what);
                 clamp != nullptr && last_part(clamp->number) == name) {
        course.bases.push_back(clamp->least);
        course.bases.push_back(clamp->most);
      } else if (const auto* damage = std::get_if<effects::Damage>(&e.what);
                 damage != nullptr && name == kHealth) {
        course.known = course.known && damage->by.of.empty();
        course.add(-damage->by.by);
        course.bases.push_back(0);  // and no lower
      }
    }
  return course;
}

std::string course_in_words(const Course& course) {
  double least = 1e300;
  double most = -1e300;
  for (const double base : course.bases) {
    least = std::min(least, base);
    most = std::max(most, base);
  }
  if (!course.rises) return fmt::format("goes no higher than {:g}", most);
  if (!course.falls) return fmt::format("goes no lower than {:g}", least);
  return fmt::format("goes in steps of {:g} from {:g}", course.step, least);
}

// Of a reaction without guards that waits for a number: what it leaves the number at.
template <int D>
std::optional<double> leaves_at(const Reaction<D>& r, const OnNumber& waits) {
  if (r.most || r.once != Once::no || r.cooldown > 0 || !r.all.empty() || !r.any.empty() ||
      !r.none.empty())
    return std::nullopt;
  std::optional<double> after;
  for (const Effect& e : r.effects) {
    if (const auto* set = std::get_if<effects::Set>(&e.what);
        set != nullptr && set->number == waits.number && set->to.of.empty())
      after = set->to.by;
    if (const auto* add = std::get_if<effects::Add>(&e.what);
        add != nullptr && add->number == waits.number && add->by.of.empty())
      after = after.value_or(waits.reaches) + add->by.by;
  }
  return after;
}

// Reactions that send a number to and fro between what they wait for.
template <int D>
void check_circles(Checking<D>& c) {
  const auto& all = c.scene.reactions;
  for (std::size_t first = 0; first < all.size(); ++first) {
    std::vector<std::size_t> seen;
    std::size_t at = first;
    while (std::find(seen.begin(), seen.end(), at) == seen.end()) {
      seen.push_back(at);
      const auto* waits = std::get_if<OnNumber>(&all[at].when);
      const std::optional<double> after =
          waits != nullptr ? leaves_at(all[at], *waits) : std::nullopt;
      if (!after || *after == waits->reaches) break;
      std::size_t next = all.size();
      for (std::size_t k = 0; k < all.size(); ++k) {
        const auto* other = std::get_if<OnNumber>(&all[k].when);
        if (other == nullptr || other->number != waits->number || k == at) continue;
        const double low = std::min(*after, waits->reaches);
        const double high = std::max(*after, waits->reaches);
        if (other->how == OnNumber::How::reaches && other->reaches >= low &&
            other->reaches <= high && other->reaches != waits->reaches)
          next = k;
      }
      if (next == all.size()) break;
      at = next;
      // Once for each circle, at its last reaction.
      if (at == first && *std::max_element(seen.begin(), seen.end()) == first && seen.size() > 1)
        c.add("number-circle", c.place_of(first, {"do"}), all[first].name,
              fmt::format("'{}' and '{}' send {} to and fro, in every step from then on",
                          all[first].name, all[seen.back()].name, waits->number),
              "most, once or cooldown in one of those reactions");
    }
  }
}

}  // namespace

template <int D>
void check_numbers(Checking<D>& c) {
  for (std::size_t i = 0; i < c.scene.reactions.size(); ++i) {
    const Reaction<D>& r = c.scene.reactions[i];
    const auto never = [&](const std::string& number, const std::string& what, const Course& course,
                           std::string_view key) {
      c.add("number-unreached", c.place_of(i, {key}), r.name,
            fmt::format("'{}' {}, which {}", r.name, what, course_in_words(course)),
            fmt::format("another value, or effects that bring {} there", number));
    };
    if (const auto* waits = std::get_if<OnNumber>(&r.when)) {
      const Course course = course_of(c, last_part(waits->number));
      const bool changed = course.rises || course.falls || course.bases.size() > 1;
      if (course.known && changed && !course.reaches(waits->reaches))
        never(waits->number, fmt::format("waits for {:g} of {}", waits->reaches, waits->number),
              course, "when");
    }
    for (const Condition& condition : r.all) {
      if (condition.kind != Condition::Kind::number || condition.least != condition.most) continue;
      const Course course = course_of(c, last_part(condition.number));
      if (course.known && !course.bases.empty() && !course.comes_to(condition.least))
        never(condition.number,
              fmt::format("needs exactly {:g} of {}", condition.least, condition.number), course,
              "all");
    }
  }
  check_circles(c);
}

template void check_numbers(Checking<2>& c);
template void check_numbers(Checking<3>& c);

}  // namespace colvik::reasons
