# Writes OUT, C++ with the text of files: -DOUT=... "-DFILES=name=path;name=path". A path that is
# not there gives "".
file(WRITE "${OUT}.new" "#include \"picture/page/parts.h\"\n\nnamespace colvik::page {\n\n"
  "std::string_view part(std::string_view name) {\n")
foreach(entry IN LISTS FILES)
  string(FIND "${entry}" "=" at)
  string(SUBSTRING "${entry}" 0 ${at} name)
  math(EXPR at "${at} + 1")
  string(SUBSTRING "${entry}" ${at} -1 path)
  file(APPEND "${OUT}.new" "  if (name == \"${name}\") {\n    static const char kText[] =\n")
  if(EXISTS "${path}")
    # Compilers want literals of at most some tens of thousands of characters; joined they may be
    # longer.
    file(READ "${path}" content)
    string(LENGTH "${content}" length)
    set(from 0)
    while(from LESS length)
      string(SUBSTRING "${content}" ${from} 15000 piece)
      file(APPEND "${OUT}.new" "R\"=====(${piece})=====\"\n")
      math(EXPR from "${from} + 15000")
    endwhile()
  else()
    file(APPEND "${OUT}.new" "\"\"\n")
  endif()
  file(APPEND "${OUT}.new" ";\n    return {kText, sizeof kText - 1};\n  }\n")
endforeach()
file(APPEND "${OUT}.new" "  return {};\n}\n\n}  // namespace colvik::page\n")
file(RENAME "${OUT}.new" "${OUT}")
