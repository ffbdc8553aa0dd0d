#include "art/svg_path.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <string>

namespace colvik::art {
namespace {

// Reads numbers as SVG writes them: "1-2.5.5e3" is 1, -2.5, 0.5e3.
class Scanner {
 public:
  explicit Scanner(std::string_view text) : text_(text) {}

  void skip() {
    while (at_ < text_.size() && (is_space(text_[at_]) || text_[at_] == ',')) ++at_;
  }
  [[nodiscard]] bool done() {
    skip();
    return at_ >= text_.size();
  }
  [[nodiscard]] bool at_number() {
    skip();
    return at_ < text_.size() &&
           (is_digit(text_[at_]) || text_[at_] == '-' || text_[at_] == '+' || text_[at_] == '.');
  }
  std::optional<double> number() {
    if (!at_number()) return std::nullopt;
    std::size_t end = at_;
    if (text_[end] == '+') ++at_, ++end;
    double value = 0;
    const auto [stop, failed] =
        std::from_chars(text_.data() + at_, text_.data() + text_.size(), value);
    if (failed != std::errc() || !std::isfinite(value)) return std::nullopt;
    at_ = static_cast<std::size_t>(stop - text_.data());
    return value;
  }
  // Of an arc, whose flags may be written without spaces.
  std::optional<bool> flag() {
    skip();
    if (at_ >= text_.size() || (text_[at_] != '0' && text_[at_] != '1')) return std::nullopt;
    return text_[at_++] == '1';
  }
  char letter() {
    skip();
    return at_ < text_.size() ? text_[at_++] : '\0';
  }
  std::string_view word() {
    skip();
    const std::size_t from = at_;
    while (at_ < text_.size() && ((text_[at_] | 32) >= 'a' && (text_[at_] | 32) <= 'z')) ++at_;
    return text_.substr(from, at_ - from);
  }

 private:
  static bool is_space(char c) {
    return c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == '\f';
  }
  static bool is_digit(char c) { return c >= '0' && c <= '9'; }
  std::string_view text_;
  std::size_t at_ = 0;
};

// How many chords a curve takes whose second differences are this large.
int chords(double bend, double chord) {
  return std::clamp(static_cast<int>(std::ceil(std::sqrt(bend / (8 * chord)))), 1, 200);
}

constexpr std::size_t kMostPoints = 1'000'000;

class PathReader {
 public:
  PathReader(std::string_view text, double chord) : scan_(text), chord_(chord) {}

  std::optional<std::vector<SubPath>> read() {
    char command = '\0';
    while (!scan_.done()) {
      if (!scan_.at_number()) command = scan_.letter();
      else if (command == 'M') command = 'L';
      else if (command == 'm') command = 'l';
      else if ((command | 32) == 'z' || command == '\0') return std::nullopt;
      if (!step(command) || points_ > kMostPoints) return std::nullopt;
    }
    finish(false);
    finish(false);
    return std::move(all_);
  }

 private:
  void finish(bool closed) {
    if (now_.points.size() > 1) {
      now_.closed = closed;
      all_.push_back(std::move(now_));
    }
    now_ = {};
  }
  void to(const Vec<2>& p) {
    if (now_.points.empty()) now_.points.push_back(here_);
    now_.points.push_back(p);
    here_ = p;
    ++points_;
  }
  std::optional<Vec<2>> point(bool relative) {
    const auto x = scan_.number();
    const auto y = x ? scan_.number() : std::nullopt;
    if (!y) return std::nullopt;
    return relative ? Vec<2>(here_ + Vec<2>(*x, *y)) : Vec<2>(*x, *y);
  }
  void cubic(const Vec<2>& b, const Vec<2>& c, const Vec<2>& d) {
    const Vec<2> a = here_;
    const double bend = 6 * std::max((a - 2 * b + c).norm(), (b - 2 * c + d).norm());
    const int n = chords(bend, chord_);
    for (int i = 1; i <= n; ++i) {
      const double t = static_cast<double>(i) / n;
      const double s = 1 - t;
      to(i == n ? d
                : Vec<2>(s * s * s * a + 3 * s * s * t * b + 3 * s * t * t * c + t * t * t * d));
    }
    control_ = c;
    last_ = 'c';
  }
  void quadratic(const Vec<2>& b, const Vec<2>& c) {
    const Vec<2> a = here_;
    const int n = chords(2 * (a - 2 * b + c).norm(), chord_);
    for (int i = 1; i <= n; ++i) {
      const double t = static_cast<double>(i) / n;
      const double s = 1 - t;
      to(i == n ? c : Vec<2>(s * s * a + 2 * s * t * b + t * t * c));
    }
    control_ = b;
    last_ = 'q';
  }
  // Source: SVG 2, B.2.4, from end points to a centre.
  void arc(Vec<2> radii, double turn, bool large, bool sweep, const Vec<2>& end) {
    radii = radii.cwiseAbs();
    if (here_ == end) return;
    if (!(radii.minCoeff() > 0)) return to(end);
    const Rotation<2> axes(radians(turn));
    const Vec<2> half = axes.inverse() * Vec<2>(0.5 * (here_ - end));
    Vec<2> unit = half.cwiseQuotient(radii);
    const double reach = unit.norm();
    if (reach > 1) {
      radii *= reach;
      unit /= reach;
    }
    const double square = std::min(1.0, unit.squaredNorm());
    const double off = square > 0 ? std::sqrt((1 - square) / square) : 0;
    const Vec<2> side(unit.y(), -unit.x());
    const Vec<2> centre = (large == sweep ? -off : off) * side;
    const Vec<2> from = unit - centre;
    const Vec<2> until = -unit - centre;
    double angle = angle_of(from.x() * until.y() - from.y() * until.x(), from.dot(until));
    if (sweep && angle < 0) angle += 2 * kPi;
    if (!sweep && angle > 0) angle -= 2 * kPi;
    const Vec<2> middle = 0.5 * (here_ + end);
    const int n = chords(radii.maxCoeff() * angle * angle, chord_);
    for (int i = 1; i < n; ++i) {
      const Vec<2> on = centre + Rotation<2>(angle * i / n) * from;
      to(middle + axes * Vec<2>(on.cwiseProduct(radii)));
    }
    to(end);
  }

  bool step(char command) {
    const bool relative = command >= 'a';
    const char last = last_;
    last_ = '\0';
    switch (command | 32) {
      case 'm': {
        const auto p = point(relative);
        if (!p) return false;
        finish(false);
        here_ = start_ = *p;
        return true;
      }
      case 'l': {
        const auto p = point(relative);
        if (p) to(*p);
        return p.has_value();
      }
      case 'h':
      case 'v': {
        const auto n = scan_.number();
        if (!n) return false;
        Vec<2> p = here_;
        double& moved = (command | 32) == 'h' ? p.x() : p.y();
        moved = relative ? moved + *n : *n;
        to(p);
        return true;
      }
      case 'c':
      case 's': {
        Vec<2> b = last == 'c' ? Vec<2>(2 * here_ - control_) : here_;
        if ((command | 32) == 'c') {
          const auto first = point(relative);
          if (!first) return false;
          b = *first;
        }
        const auto c = point(relative);
        const auto d = c ? point(relative) : std::nullopt;
        if (d) cubic(b, *c, *d);
        return d.has_value();
      }
      case 'q': {
        const auto b = point(relative);
        const auto c = b ? point(relative) : std::nullopt;
        if (c) quadratic(*b, *c);
        return c.has_value();
      }
      case 't': {
        const Vec<2> b = last == 'q' ? Vec<2>(2 * here_ - control_) : here_;
        const auto c = point(relative);
        if (c) quadratic(b, *c);
        return c.has_value();
      }
      case 'a': {
        const auto rx = scan_.number();
        const auto ry = rx ? scan_.number() : std::nullopt;
        const auto turn = ry ? scan_.number() : std::nullopt;
        const auto large = turn ? scan_.flag() : std::nullopt;
        const auto sweep = large ? scan_.flag() : std::nullopt;
        const auto end = sweep ? point(relative) : std::nullopt;
        if (end) arc({*rx, *ry}, *turn, *large, *sweep, *end);
        return end.has_value();
      }
      case 'z':
        finish(true);
        here_ = start_;
        return true;
      default: return false;
    }
  }

  Scanner scan_;
  double chord_;
  std::vector<SubPath> all_;
  SubPath now_;
  Vec<2> here_ = kZero;
  Vec<2> start_ = kZero;
  Vec<2> control_ = kZero;  // of the curve before
  char last_ = '\0';        // 'c' or 'q' after a curve
  std::size_t points_ = 0;
};

}  // namespace

std::optional<std::vector<double>> numbers_in(std::string_view text) {
  Scanner scan(text);
  std::vector<double> all;
  while (!scan.done()) {
    const auto n = scan.number();
    if (!n) return std::nullopt;
    all.push_back(*n);
  }
  return all;
}

std::optional<double> length_in(std::string_view text) {
  Scanner scan(text);
  const auto n = scan.number();
  if (!n) return std::nullopt;
  const std::string_view unit = scan.word();
  if (!scan.done()) return std::nullopt;
  constexpr std::array<std::pair<std::string_view, double>, 8> kUnits{{{"", 1},
                                                                       {"px", 1},
                                                                       {"in", 96},
                                                                       {"cm", 96 / 2.54},
                                                                       {"mm", 9.6 / 2.54},
                                                                       {"pt", 96.0 / 72},
                                                                       {"pc", 16},
                                                                       {"Q", 2.4 / 2.54}}};
  for (const auto& [name, size] : kUnits)
    if (unit == name) return *n * size;
  return std::nullopt;
}

std::optional<Affine> transform_in(std::string_view text) {
  Affine all;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t open = text.find('(', at);
    if (open == std::string_view::npos)
      return text.find_first_not_of(" \t\r\n,", at) == std::string_view::npos ? std::optional(all)
                                                                              : std::nullopt;
    const std::size_t close = text.find(')', open);
    if (close == std::string_view::npos) return std::nullopt;
    const std::size_t first = text.find_first_not_of(" \t\r\n,", at);
    std::string_view name = text.substr(first, open - first);
    while (!name.empty() && name.back() == ' ') name.remove_suffix(1);
    const auto n = numbers_in(text.substr(open + 1, close - open - 1));
    if (!n) return std::nullopt;
    const std::vector<double>& v = *n;
    const auto turn = [](double degrees) {
      const Rotation<2> r(radians(degrees));
      return Affine{r.cosine(), r.sine(), -r.sine(), r.cosine(), 0, 0};
    };
    const auto slant = [](double degrees) {
      const Rotation<2> r(radians(degrees));
      return r.sine() / r.cosine();
    };
    Affine next;
    if (name == "translate" && (v.size() == 1 || v.size() == 2))
      next = {1, 0, 0, 1, v[0], v.size() > 1 ? v[1] : 0};
    else if (name == "scale" && (v.size() == 1 || v.size() == 2))
      next = {v[0], 0, 0, v.back(), 0, 0};
    else if (name == "rotate" && v.size() == 1) next = turn(v[0]);
    else if (name == "rotate" && v.size() == 3)
      next = Affine{1, 0, 0, 1, v[1], v[2]} * turn(v[0]) * Affine{1, 0, 0, 1, -v[1], -v[2]};
    else if (name == "skewX" && v.size() == 1) next = {1, 0, slant(v[0]), 1, 0, 0};
    else if (name == "skewY" && v.size() == 1) next = {1, slant(v[0]), 0, 1, 0, 0};
    else if (name == "matrix" && v.size() == 6) next = {v[0], v[1], v[2], v[3], v[4], v[5]};
    else return std::nullopt;
    all = all * next;
    at = close + 1;
  }
  return all;
}

std::optional<std::vector<SubPath>> path_in(std::string_view text, double chord) {
  return PathReader(text, chord).read();
}

std::vector<Vec<2>> ellipse(const Vec<2>& centre, const Vec<2>& radii, double chord) {
  const int n = std::max(16, chords(radii.maxCoeff() * 4 * kPi * kPi, chord));
  std::vector<Vec<2>> loop;
  loop.reserve(static_cast<std::size_t>(n));
  for (int i = 0; i < n; ++i)
    loop.emplace_back(centre + Rotation<2>(2 * kPi * i / n).axis(0).cwiseProduct(radii));
  return loop;
}

}  // namespace colvik::art
