// Results for build servers.
#include <colvik/insight.hpp>

#include <fmt/format.h>
#include <pugixml.hpp>

#include <ostream>

namespace colvik {

template <int D>
void write_junit(std::ostream& out, const std::string& suite, const Trace<D>& trace,
                 std::span<const Expectation<D>> expectations,
                 std::span<const std::string> reasons) {
  pugi::xml_document document;
  pugi::xml_node head = document.append_child(pugi::node_declaration);
  head.append_attribute("version") = "1.0";
  head.append_attribute("encoding") = "UTF-8";
  pugi::xml_node node = document.append_child("testsuite");
  node.append_attribute("name") = suite.c_str();
  node.append_attribute("tests") = static_cast<unsigned long long>(expectations.size());
  pugi::xml_attribute failures = node.append_attribute("failures");
  node.append_attribute("errors") = 0;
  node.append_attribute("time") = fmt::format("{:.3f}", trace.time()).c_str();  // simulated
  unsigned long long failed = 0;
  for (std::size_t i = 0; i < expectations.size(); ++i) {
    const ExpectationResult r = judge(expectations[i], trace);
    pugi::xml_node test = node.append_child("testcase");
    test.append_attribute("classname") = suite.c_str();
    test.append_attribute("name") = r.expected.c_str();
    test.append_attribute("file") = r.place.file.c_str();
    test.append_attribute("line") = r.place.line;
    if (r.met) continue;
    ++failed;
    pugi::xml_node failure = test.append_child("failure");
    failure.append_attribute("message") = r.happened.c_str();
    if (expectations[i].pinned) failure.append_attribute("type") = "pinned";
    const std::string why = i < reasons.size() ? reasons[i] : "";
    failure.text() =
        fmt::format("{}:{}:{}: expected: {}; instead: {}{}{}", r.place.file, r.place.line,
                    r.place.column, r.expected, r.happened, why.empty() ? "" : "; because: ", why)
            .c_str();
  }
  failures = failed;
  document.save(out, "  ");
}

template void write_junit(std::ostream&, const std::string&, const Trace<2>&,
                          std::span<const Expectation<2>>, std::span<const std::string>);
template void write_junit(std::ostream&, const std::string&, const Trace<3>&,
                          std::span<const Expectation<3>>, std::span<const std::string>);

}  // namespace colvik
