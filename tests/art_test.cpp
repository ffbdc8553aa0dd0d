// Pictures, drawings and models as files, good and bad.
#include "art_files.hpp"
#include "random.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

std::string svg(const std::string& inside, const std::string& head = "viewBox=\"0 0 100 50\"") {
  return "<svg xmlns=\"http://www.w3.org/2000/svg\" " + head + ">\n" + inside + "\n</svg>\n";
}

double area_of(const DrawnShape& s) {
  const auto art = outlined_art(s.loops, s.winding);
  return art ? mass_of(art.value()).volume : 0;
}

// Each cut and each of some damaged copies: read or refused with the file's name, never a crash.
template <class Read>
void damage(const std::string& path, const std::string& whole, Read&& read_it, int least = 20) {
  Random random(411);
  int refused = 0;
  for (std::size_t at = 0; at < whole.size(); at += 1 + whole.size() / 60) {
    write(path, whole.substr(0, at));
    const auto got = read_it(path);
    if (!got) CHECK(has(got.error().where, path));
    refused += got.ok() ? 0 : 1;
  }
  CHECK(refused > least);
  for (int i = 0; i < 300; ++i) {
    std::string copy = whole;
    for (int k = 0; k <= i % 4; ++k)
      copy[static_cast<std::size_t>(random.below(static_cast<int>(copy.size())))] =
          static_cast<char>(random.below(256));
    write(path, copy);
    const auto got = read_it(path);
    if (!got) CHECK(has(got.error().where, path));
  }
}

}  // namespace

TEST_CASE("PNG: pixels as written, and what is none, damaged or huge is refused") {
  const Folder folder;
  const std::string path = folder / "a.png";
  write_png(path, 7, 5, [](int x, int y) {
    return std::array{x * 30, y * 40, 9, x == y ? 0 : 255};
  });
  const Pixels p = read_png(path).value();
  CHECK(p.width == 7);
  CHECK(p.height == 5);
  CHECK(p.bytes[4 * (7 * 2 + 3)] == 90);
  CHECK(p.bytes[4 * (7 * 2 + 2) + 3] == 0);
  const std::string whole = read(path);
  damage(path, whole, [](const std::string& file) { return read_png(file); });
  // A header that claims a hundred thousand pixels a side, its checksum right.
  std::string huge = whole;
  for (const std::size_t at : {16U, 20U}) huge.replace(at, 4, std::string("\0\1\x86\xA0", 4));
  const std::uint32_t sum = [&] {
    std::uint32_t crc = 0xffffffff;
    for (std::size_t i = 12; i < 29; ++i) {
      crc ^= static_cast<unsigned char>(huge[i]);
      for (int k = 0; k < 8; ++k) crc = crc >> 1 ^ ((crc & 1U) != 0 ? 0xedb88320U : 0U);
    }
    return ~crc;
  }();
  for (std::size_t k = 0; k < 4; ++k) huge[29 + k] = static_cast<char>(sum >> (24 - 8 * k) & 255U);
  write(path, huge);
  CHECK(has(read_png(path).error().message(), "100000 x 100000"));
  CHECK(has(read_png(folder / "none.png").error().message(), "no such file"));
  write(path, svg(""));
  CHECK(has(read_png(path).error().message(), "is no PNG picture"));
}

TEST_CASE("SVG: shapes with transforms, units and layers, y up from the lower left corner") {
  const Folder folder;
  const std::string path = folder / "a.svg";
  const auto one = [&](const std::string& inside,
                       const std::string& head = "viewBox=\"0 0 100 50\"") {
    write(path, svg(inside, head));
    const auto drawing = read_svg(path);
    REQUIRE_MESSAGE(drawing.ok(), (drawing.ok() ? "" : drawing.error().message()));
    REQUIRE(drawing.value().shapes.size() == 1);
    return drawing.value().shapes[0];
  };
  using Kind = DrawnShape::Kind;
  struct Row {
    const char* text;
    Kind kind;
    Vec<2> centre;
    Vec<2> size;
    double degrees;
  };
  const Row rows[] = {
      {R"x(<rect x="10" y="10" width="20" height="10"/>)x",
       Kind::box,
       {20.0, 35.0},
       {20.0, 10.0},
       0},
      {R"x(<g transform="translate(5,5) scale(2)"><rect x="10" y="5" width="20" height="10"/></g>)x",
       Kind::box,
       {45.0, 25.0},
       {40.0, 20.0},
       0},
      {R"x(<rect x="-10" y="-5" width="20" height="10" transform="translate(50 25) rotate(30)"/>)x",
       Kind::box,
       {50.0, 25.0},
       {20.0, 10.0},
       -30},
      {R"x(<rect x="40" y="20" width="20" height="10" transform="rotate(90 50 25)"/>)x",
       Kind::box,
       {50.0, 25.0},
       {20.0, 10.0},
       -90},
      {R"x(<rect x="10" y="10" width="20" height="10" transform="matrix(-1 0 0 1 100 0)"/>)x",
       Kind::box,
       {80.0, 35.0},
       {20.0, 10.0},
       0},
      {R"x(<rect x="10" y="10" width="20" height="10" transform="skewX(20)"/>)x",
       Kind::area,
       {20 + 15 * 0.363970234, 35.0},
       {0.0, 0.0},
       0},
      {R"x(<circle cx="10" cy="20" r="5"/>)x", Kind::circle, {10.0, 30.0}, {10.0, 10.0}, 0},
      {R"x(<ellipse cx="10" cy="20" rx="5" ry="5.05"/>)x",
       Kind::circle,
       {10.0, 30.0},
       {10.05, 10.05},
       0},
      {R"x(<ellipse cx="10" cy="20" rx="5" ry="8"/>)x", Kind::area, {10.0, 30.0}, {10.0, 16.0}, 0},
      {R"x(<polygon points="0,0 10,0 10,10"/>)x", Kind::area, {5.0, 45.0}, {10.0, 10.0}, 0},
      {R"x(<polyline points="0,0 10,0 10,10"/>)x", Kind::line, {5.0, 45.0}, {10.0, 10.0}, 0},
      {R"x(<line x1="1" y1="2" x2="5" y2="2"/>)x", Kind::line, {3.0, 48.0}, {4.0, 0.0}, 0},
      {R"x(<path d="M10 10h20v10h-20z"/>)x", Kind::area, {20.0, 35.0}, {20.0, 10.0}, 0},
      {R"x(<path d="M10,10 L30-0" style="fill:none"/>)x",
       Kind::line,
       {20.0, 45.0},
       {20.0, 10.0},
       0},
      {R"x(<path d="M30 20a10 10 0 1 0-20 0 10 10 0 1 0 20 0"/>)x",
       Kind::area,
       {20.0, 30.0},
       {20.0, 20.0},
       0},
      {R"x(<path d="M0 0 C 0 10 10 10 10 0 S 20 -10 20 0 T 30 0 Q 35 10 40 0 Z"/>)x",
       Kind::area,
       {20.0, 49.0},
       {40.0, 15.0},
       0},
      {R"x(<rect x="1mm" y="1cm" width="1in" height="72pt"/>)x",
       Kind::box,
       {3.7795276 + 48, 50 - 37.795276 - 48},
       {96.0, 96.0},
       0},
      {R"x(<rect x="10" y="10" width="20" height="10" rx="2"/>)x",
       Kind::area,
       {20.0, 35.0},
       {20.0, 10.0},
       0},
      {R"x(<defs><rect id="r" width="4" height="2"/></defs><use href="#r" x="10" y="10"/>)x",
       Kind::box,
       {12.0, 39.0},
       {4.0, 2.0},
       0}};
  for (const Row& row : rows) {
    CAPTURE(row.text);
    const DrawnShape s = one(row.text);
    CHECK(s.kind == row.kind);
    CHECK((s.centre - row.centre).norm() < 2);
    if (row.kind == Kind::box || row.kind == Kind::circle) {
      CHECK((s.centre - row.centre).norm() < 1e-6);
      CHECK((s.size - row.size).norm() < 1e-6);
      CHECK(degrees(s.turned.angle()) == doctest::Approx(row.degrees));
    } else if (row.size.x() > 0) {
      CHECK((s.size - row.size).norm() < 3);
    }
  }
  CHECK(area_of(one(R"x(<circle cx="10" cy="20" r="5"/>)x")) ==
        doctest::Approx(25 * kPi).epsilon(0.01));
  CHECK(area_of(one(R"x(<path d="M30 20a10 10 0 1 0-20 0 10 10 0 1 0 20 0z"/>)x")) ==
        doctest::Approx(100 * kPi).epsilon(0.01));
  CHECK(area_of(one(R"x(<path fill-rule="evenodd" d="M0 0h10v10h-10zM2 2h6v6h-6z"/>)x")) == 64);
  // The view box's own corner, and a drawing that has none.
  CHECK((one("<circle cx=\"0\" cy=\"0\" r=\"1\"/>", "viewBox=\"-50 -20 100 50\"").centre -
         Vec<2>(50, 30))
            .norm() < 1e-9);
  CHECK((one("<circle cx=\"10\" cy=\"0\" r=\"1\"/>", "width=\"2in\" height=\"1in\"").centre -
         Vec<2>(10, 96))
            .norm() < 1e-9);
  const DrawnShape named =
      one("<g id=\"yard\" inkscape:label=\"Walls\" xmlns:inkscape=\"i\">\n  <g id=\"old\">\n"
          "    <rect id=\"door\" class=\"thick red\" width=\"4\" height=\"4\"/></g></g>");
  CHECK(named.id == "door");
  CHECK(named.classes == std::vector<std::string>{"thick", "red"});
  CHECK(named.layers == std::vector<std::string>{"old", "yard", "Walls"});
  CHECK(named.named() == path + ":4:5: <rect id=\"door\">");
}

TEST_CASE("SVG: a shape that is used has the name of its use, those of a group their own") {
  const Folder folder;
  const std::string path = folder / "a.svg";
  write(path,
        svg("<defs><rect id=\"r\" width=\"2\" height=\"2\"/><g id=\"pair\">"
            "<rect id=\"left\" width=\"2\" height=\"2\"/><circle id=\"right\" r=\"1\"/></g></defs>"
            "<use id=\"door\" href=\"#r\"/><use id=\"two\" href=\"#pair\" x=\"9\"/>"));
  const std::vector<DrawnShape> shapes = read_svg(path).value().shapes;
  REQUIRE(shapes.size() == 3);
  CHECK(shapes[0].id == "door");
  CHECK(shapes[1].id == "left");
  CHECK(shapes[2].id == "right");
  CHECK(shapes[1].layers == std::vector<std::string>{"pair", "two"});
}

TEST_CASE("SVG: what is left out is named, and what is wrong with its place") {
  const Folder folder;
  const std::string path = folder / "a.svg";
  write(path, svg("<text id=\"t\">x</text><rect width=\"1\" height=\"1\" display=\"none\"/>\n"
                  "<use href=\"#gone\"/><image/><rect width=\"0\" height=\"1\"/>"
                  "<rect width=\"2\" height=\"1\"/>"));
  const SvgDrawing drawing = read_svg(path).value();
  CHECK(drawing.shapes.size() == 1);
  REQUIRE(drawing.notes.size() == 3);  // of texts and pictures none
  CHECK(has(drawing.notes[0], path + ":2:22: <rect> was left out: it is hidden"));
  CHECK(has(drawing.notes[1], path + ":3:1: <use> was left out: there is no '#gone'"));
  CHECK(has(drawing.notes[2], "it has no area"));
  const auto wrong = [&](const std::string& text) {
    write(path, text);
    const auto got = read_svg(path);
    return got ? std::string("accepted") : got.error().message();
  };
  CHECK(has(wrong("<svg"), path + ":1:"));
  CHECK(has(wrong("<html/>"), "is no SVG but <html>"));
  CHECK(has(wrong("<svg/>"), "neither a viewBox nor a width"));
  CHECK(has(wrong(svg("<g>\n<path id=\"p\" d=\"M 0 0 L 1\"/></g>")),
            path + ":3:1: its path is not usable"));
  CHECK(has(wrong(svg("<rect width=\"1%\" height=\"1\"/>")), "width=\"1%\" is not usable"));
  CHECK(has(wrong(svg("<rect width=\"1\" height=\"1\" transform=\"spin(3)\"/>")), "spin(3)"));
  CHECK(has(wrong(svg("<rect width=\"1e30\" height=\"1\"/>")), "too far away"));
  // Uses of uses: bounded, whether they end or not.
  std::string nested = "<defs><g id=\"g0\"><rect width=\"1\" height=\"1\"/></g>";
  for (int i = 1; i < 12; ++i) {
    nested += "<g id=\"g" + std::to_string(i) + "\">";
    for (int k = 0; k < 10; ++k) nested += "<use href=\"#g" + std::to_string(i - 1) + "\"/>";
    nested += "</g>";
  }
  CHECK(wrong(svg(nested + "</defs><use href=\"#g11\"/>")) != "accepted");
  CHECK(has(wrong(svg("<g id=\"a\"><use href=\"#a\"/></g>")), "nested too deep"));
  write(path, svg("<g transform=\"rotate(3)\"><path d=\"M0 0C1 1 2 2 3 0A1 1 0 0 1 9 9z\"/></g>"
                  "<circle cx=\"1mm\" r=\"3\"/><polygon points=\"1,2 3,4 5,1\"/>"));
  damage(path, read(path), [](const std::string& file) { return read_svg(file); });
}

TEST_CASE("SVG: style sheets say what is painted, as elements, classes and ids select") {
  const Folder folder;
  const std::string path = folder / "a.svg";
  // A bar of 2 x 1 whose class is "a b" and whose id is "bar", and a dot that is always painted.
  const auto drawn = [&](const std::string& sheet, const std::string& attributes = "",
                         const std::string& around = "g") {
    write(path, svg("<style type=\"text/css\">" + sheet + "</style><" + around +
                    "><rect id=\"bar\" class=\"a b\" width=\"2\" height=\"1\" " + attributes +
                    "/></g><circle cx=\"9\" cy=\"9\" r=\"1\"/>"));
    return read_svg(path).value();
  };
  const auto painted = [&](auto&&... how) {
    const SvgDrawing d = drawn(how...);
    REQUIRE(d.shapes.size() <= 2);
    const bool bar = d.shapes.size() == 2 && d.shapes[0].painted;
    CHECK(art_of(d).value().loops.size() == (bar ? 2 : 1));
    return bar;
  };
  CHECK(painted(""));
  for (const char* none :
       {".a{fill:none}", ".b { fill : none }", "rect{fill:none;}", "*{fill:none} circle{fill:red}",
        "#bar{fill:none}", "rect.a.b{fill:none}", ".x,.a{fill:none}", "/* .a{} */.a{fill:none}",
        "<![CDATA[.a{fill:none}]]>", "#bar{fill:none} .a{fill:red}", ".a{fill:red}.b{fill:none}",
        ".a.b{fill:none}.b{fill:red}", ".a{fill:none !important}", ".a{opacity:0}",
        ".a{fill:transparent}", ".a{fill:none", ".a{display:none}", "rect{visibility:hidden}",
        "@media print { .a{fill:red} } .a{fill:none}"}) {
    CAPTURE(none);
    CHECK_FALSE(painted(none));
    CHECK_FALSE(painted(none, "fill=\"red\""));  // a sheet goes before an attribute
  }
  for (const char* some :
       {".x{fill:none}", "#a{fill:none}", "circle.a{fill:none} circle{fill:red}",
        ".a{fill:none}.b{fill:red}", ".a.b{fill:red}.a{fill:none}", ".a{fill:none;stroke:red}",
        "g .a{fill:none}", "@media print { .a{fill:none} }", "} .a{"}) {
    CAPTURE(some);
    CHECK(painted(some));
  }
  CHECK(painted(".a{fill:none}", "style=\"fill:red\""));  // an element's own style before all
  CHECK_FALSE(painted(".a{fill:red}", "style=\"fill:none\""));
  CHECK_FALSE(painted("g{fill:none}"));  // inherited
  CHECK(painted("g{fill:none}", "fill=\"red\""));
  CHECK_FALSE(painted("", "", "g opacity=\"0\""));
  const SvgDrawing odd = drawn("g > .a{fill:none} .a:hover{fill:red} @import url(x.css);");
  REQUIRE(odd.notes.size() == 3);
  CHECK(has(odd.notes[0], path + ":2:1: "));
  CHECK(has(odd.notes[0], "the style 'g > .a' was left out"));
  CHECK(has(art_of(drawn(".a{fill:none}")).value().notes.back(),
            "<rect id=\"bar\"> was left out: it is neither filled nor stroked"));
  damage(path, read(path), [](const std::string& file) { return read_svg(file); });
}

TEST_CASE("glTF: nodes where they are, extras, animation, and buffers beside the file") {
  const Folder folder;
  const std::string path = folder / "a.gltf";
  const double half = std::sqrt(0.5);
  nlohmann::json nodes = nlohmann::json::array(
      {{{"name", "arm"},
        {"translation", {1, 2, 3}},
        {"children", {1}},
        {"rotation", {0, 0, half, half}}},
       {{"name", "crate.001"},
        {"mesh", 0},
        {"translation", {2, 0, 0}},
        {"scale", {2, 1, 1}},
        {"extras", {{"kind", "crate"}, {"tags", {"heavy", "red"}}}}},
       {{"name", "mirror"}, {"mesh", 0}, {"scale", {-1, 1, 1}}, {"extras", {{"tags", "a, b"}}}},
       {{"name", "matrix"},
        {"mesh", 0},
        {"matrix", {0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 5, 6, 7, 1}}}});
  nlohmann::json model = box_model(nodes);
  write(path, model.dump());
  const Model read_back = read_model(path).value();
  REQUIRE(read_back.nodes.size() == 3);
  const auto node = [&](const char* name) {
    for (const ModelNode& n : read_back.nodes)
      if (n.name == name) return n;
    FAIL(name);
    return ModelNode{};
  };
  const ModelNode crate = node("crate.001");
  CHECK((crate.pose.position - Vec<3>(1, 4, 3)).norm() < 1e-9);
  CHECK((crate.pose.rotation * Vec<3>(1, 0, 0) - Vec<3>(0, 1, 0)).norm() < 1e-9);
  CHECK((bounds_of(crate.art).size() - Vec<3>(4, 1, 1)).norm() < 1e-6);
  CHECK(crate.kind == "crate");
  CHECK(crate.tags == std::vector<std::string>{"heavy", "red"});
  CHECK(crate.parents == std::vector<std::string>{"arm"});
  CHECK(node("mirror").tags == std::vector<std::string>{"a", "b"});
  CHECK(mass_of(node("mirror").art).volume == doctest::Approx(2));  // faces still outward
  CHECK((node("matrix").pose * Vec<3>(1, 0, 0) - Vec<3>(5, 7, 7)).norm() < 1e-9);
  CHECK(mass_of(read_back.whole()).volume == doctest::Approx(4 + 2 + 2));

  // A node that moves, turns and grows in two seconds.
  std::string numbers;
  const auto put = [&](std::initializer_list<float> list) {
    for (const float f : list) numbers.append(reinterpret_cast<const char*>(&f), 4);
  };
  put({0, 2});
  put({0, 0, 0, 4, 0, 0});
  put({0, 0, 0, 1, 0, 0, 0.70710678F, 0.70710678F});
  put({1, 1, 1, 3, 3, 3});
  model["buffers"].push_back({{"byteLength", numbers.size()}, {"uri", "move.bin"}});
  write(folder / "move.bin", numbers);
  const std::size_t sizes[] = {8, 24, 32, 24};
  const char* types[] = {"SCALAR", "VEC3", "VEC4", "VEC3"};
  std::size_t from = 0;
  for (int i = 0; i < 4; ++i) {
    model["bufferViews"].push_back({{"buffer", 1}, {"byteOffset", from}, {"byteLength", sizes[i]}});
    model["accessors"].push_back(
        {{"bufferView", 2 + i}, {"componentType", 5126}, {"count", 2}, {"type", types[i]}});
    from += sizes[i];
  }
  const auto channel = [](int sampler, const char* what) {
    return nlohmann::json{{"sampler", sampler}, {"target", {{"node", 2}, {"path", what}}}};
  };
  model["animations"] = nlohmann::json::array(
      {{{"samplers",
         {{{"input", 2}, {"output", 3}},
          {{"input", 2}, {"output", 4}},
          {{"input", 2}, {"output", 5}}}},
        {"channels", {channel(0, "translation"), channel(1, "rotation"), channel(2, "scale")}}}});
  write(path, model.dump());
  for (const double time : {0.0, 1.0, 2.0, 9.0}) {
    CAPTURE(time);
    const Model at = read_model(path, {.time = time}).value();
    CHECK(at.length == 2);
    const double t = std::min(time, 2.0) / 2;
    for (const ModelNode& n : at.nodes) {
      if (n.name != "mirror") continue;
      CHECK(n.pose.position.x() == doctest::Approx(4 * t));
      CHECK((n.pose.rotation * Vec<3>(1, 0, 0) -
             Rotation<3>(Vec<3>(0, 0, 1), kPi / 2 * t) * Vec<3>(1, 0, 0))
                .norm() < 1e-6);
      CHECK(bounds_of(n.art).size().y() == doctest::Approx(1 + 2 * t));
    }
  }
  // Only files in the model's own folder, or in the one that is allowed.
  std::filesystem::create_directories(folder / "in");
  model["buffers"][1]["uri"] = "../move.bin";
  write(folder / "in/b.gltf", model.dump());
  CHECK(has(read_model(folder / "in/b.gltf").error().message(), "not in the folder"));
  CHECK(read_model(folder / "in/b.gltf", {.within = folder.path.string()}).ok());
  model["buffers"][1]["uri"] = "http://example.org/move.bin";
  write(path, model.dump());
  CHECK_FALSE(read_model(path).ok());
}

TEST_CASE("glTF and OBJ: damaged and hostile files are refused") {
  const Folder folder;
  const std::string path = folder / "a.gltf";
  nlohmann::json nodes = nlohmann::json::array({{{"name", "a"}, {"mesh", 0}}});
  const nlohmann::json good = box_model(nodes);
  const auto with = [&](const char* pointer, const nlohmann::json& value) {
    nlohmann::json bad = good;
    bad[nlohmann::json::json_pointer(pointer)] = value;
    write(path, bad.dump());
    const auto got = read_model(path);
    return got ? std::string("accepted") : got.error().message();
  };
  CHECK(with("/scene", 0) == "accepted");
  CHECK(has(with("/accessors/0/count", 9), "do not fit into its buffer"));
  CHECK(has(with("/accessors/1/count", 4000000000U), "do not fit"));
  CHECK(with("/accessors/0/byteOffset", 1000000) != "accepted");
  CHECK(with("/bufferViews/0/byteLength", 4000000000U) != "accepted");
  CHECK(with("/bufferViews/0/buffer", 7) != "accepted");
  CHECK(with("/bufferViews/0/byteStride", 4) != "accepted");
  CHECK(has(with("/accessors/0/type", "VEC2"), "3 numbers a row"));
  CHECK(with("/meshes/0/primitives/0/indices", 5) != "accepted");
  CHECK(has(with("/meshes/0/primitives/0/indices", 0), "1 numbers a row"));
  CHECK(with("/nodes/0/mesh", 3) != "accepted");
  CHECK(has(with("/nodes/0/children", {0}), "below itself"));
  CHECK(with("/scenes/0/nodes", {5}) != "accepted");
  CHECK(has(with("/nodes/0/translation", {1e300, 1e300, 1e300}), ""));
  write(path, good.dump());
  damage(path, good.dump(), [](const std::string& file) { return read_model(file); });

  const std::string obj = folder / "a.obj";
  write(obj,
        "o one\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n"
        "o two\nv 5 0 0\nv 6 0 0\nv 5 1 0\nf 5 6 7\n");
  const Model two = read_model(obj).value();
  REQUIRE(two.nodes.size() == 2);
  CHECK(two.nodes[1].name == "two");
  CHECK(open_edges(checked_art(two.nodes[0].art).value()) == 0);
  CHECK(mass_of(two.nodes[0].art).volume == doctest::Approx(1.0 / 6));
  damage(
      obj, read(obj), [](const std::string& file) { return read_model(file); }, 2);
  write(obj, "v 0 0 0\nf 1 2 3\n");
  CHECK_FALSE(read_model(obj).ok());
  write(obj, "v 0 0 0\nf" + std::string(30000, ' ') + "1 1 1\n");
  CHECK(has(read_model(obj).error().message(), "a line of more than"));
  CHECK(has(read_model(folder / "a.fbx").error().message(), ".obj, .gltf or .glb"));
  // Seams that exporters write twice, a bit apart, are joined.
  Art<3> seam = two.nodes[0].art;
  seam.points.push_back(seam.points[1] + Vec<3>(1e-9, 0, 0));
  seam.triangles[3] = {4, seam.triangles[3][1], seam.triangles[3][2]};
  CHECK(open_edges(seam) > 0);
  CHECK(open_edges(checked_art(seam).value()) == 0);
}
