#pragma once
// Style sheets of SVG drawings, as far as simple selectors go: elements, classes, ids, and several
// of them of one element ("rect.wall"). Source: W3C, "Cascading Style Sheets Level 2", 4.1, 5, 6.4.
#include <map>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace colvik::art {

class StyleSheet {
 public:
  // Rules that come later, or whose selectors say more, go before others.
  void add(std::string_view text);
  // "" if no rule sets it.
  [[nodiscard]] const std::string& property(std::string_view element, std::string_view id,
                                            std::string_view classes,
                                            const std::string& name) const;
  // Rules that are not of this kind, as they stand in the sheet.
  [[nodiscard]] const std::vector<std::string>& left_out() const { return left_out_; }

 private:
  using Declarations = std::map<std::string, std::string>;
  struct Rule {
    std::string element;  // "" or "*": any
    std::string id;
    std::vector<std::string> classes;
    int weight = 0;
    Declarations declarations;
  };
  void add_rule(std::string_view selector, const Declarations& declarations);

  std::vector<Rule> rules_;
  std::set<std::string, std::less<>> ids_;  // that rules select
  std::vector<std::string> left_out_;
  // What elements with the same element, id (where a rule has it) and classes come to.
  mutable std::map<std::string, Declarations> known_;
};

// "fill: none; stroke: red", in order; of two of a name the last counts.
[[nodiscard]] std::map<std::string, std::string> declarations_in(std::string_view text);

}  // namespace colvik::art
