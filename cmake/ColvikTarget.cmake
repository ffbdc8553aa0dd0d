# colvik_flags(TARGET): the flags that keep results the same on every compiler, and the project's
# warnings.
function(colvik_flags target)
  # No fused multiply-add: it rounds once where the written code rounds twice.
  target_compile_options(${target} PRIVATE -ffp-contract=off)
  set_target_properties(${target} PROPERTIES
    CXX_STANDARD 20
    CXX_STANDARD_REQUIRED ON
    CXX_EXTENSIONS OFF)
  if(NOT COLVIK_WERROR)
    return()
  endif()
  target_compile_options(${target} PRIVATE
    -Werror
    -Wall
    -Wextra
    -Wpedantic
    -Wshadow
    -Wconversion
    -Wno-sign-conversion
    -Wold-style-cast
    -Wnon-virtual-dtor
    -Woverloaded-virtual
    -Wnull-dereference
    -Wdouble-promotion
    # g++ 12 raises false alarms: on arrays of vectors of which only the first few are in use, and
    # on std::string's operator+ (GCC bug 105651).
    $<$<CXX_COMPILER_ID:GNU>:-Wno-maybe-uninitialized>
    $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict>)
endfunction()

# colvik_library(NAME HEADERS...): the library colvik_NAME, alias colvik::NAME, with its public
# headers. colvik_files adds its files.
function(colvik_library name)
  add_library(colvik_${name})
  add_library(colvik::${name} ALIAS colvik_${name})
  list(TRANSFORM ARGN PREPEND ${PROJECT_SOURCE_DIR}/include/colvik/ OUTPUT_VARIABLE headers)
  target_sources(colvik_${name} PUBLIC
    FILE_SET HEADERS BASE_DIRS ${PROJECT_SOURCE_DIR}/include FILES ${headers})
  target_include_directories(colvik_${name} PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_compile_features(colvik_${name} PUBLIC cxx_std_20)
  set_target_properties(colvik_${name} PROPERTIES
    EXPORT_NAME ${name}
    VERSION ${PROJECT_VERSION}
    SOVERSION ${PROJECT_VERSION_MAJOR}
    INSTALL_RPATH $ORIGIN  # the others that it uses lie beside it
    CXX_VISIBILITY_PRESET hidden
    VISIBILITY_INLINES_HIDDEN ON)
  if(NOT PROJECT_IS_TOP_LEVEL)
    set_target_properties(colvik_${name} PROPERTIES EXCLUDE_FROM_ALL ON)
  endif()
  colvik_flags(colvik_${name})
endfunction()

# colvik_level(LEVEL VARIABLE): how a release build optimizes. `fast`: as the build type says;
# `plain`: -O2, where -O3 gains nothing measurable and takes longer to compile; `once`: -O1, for
# what runs once.
function(colvik_level level variable)
  set(fast "")
  set(plain $<$<CONFIG:Release>:-O2>)
  set(once $<$<CONFIG:Release>:-O1>)
  set(${variable} ${${level}} PARENT_SCOPE)
endfunction()

# colvik_files(LIBRARY NAME LEVEL FILES... [ALONE FILES...]): adds files to a library. With
# COLVIK_UNITY they are compiled together, so that headers and templates are read once, but for
# those under ALONE, which Highway includes once for each instruction set.
function(colvik_files library name level)
  cmake_parse_arguments(PARSE_ARGV 3 arg "" "" ALONE)
  colvik_level(${level} options)
  set(together ${arg_UNPARSED_ARGUMENTS})
  set(alone ${arg_ALONE})
  list(TRANSFORM together PREPEND ${CMAKE_CURRENT_SOURCE_DIR}/)
  list(TRANSFORM alone PREPEND ${CMAKE_CURRENT_SOURCE_DIR}/)
  if(COLVIK_UNITY)
    set(text "")
    foreach(source IN LISTS together)
      string(APPEND text "#include \"${source}\"\n")
    endforeach()
    set(together ${CMAKE_CURRENT_BINARY_DIR}/${library}_${name}.cpp)
    file(CONFIGURE OUTPUT ${together} CONTENT "${text}" @ONLY)
    # A false alarm where the file with the anonymous namespace is included by another.
    set_property(SOURCE ${together} APPEND PROPERTY
      COMPILE_OPTIONS $<$<CXX_COMPILER_ID:GNU>:-Wno-subobject-linkage>)
  endif()
  set_property(SOURCE ${together} ${alone} APPEND PROPERTY COMPILE_OPTIONS ${options})
  target_sources(colvik_${library} PRIVATE ${together} ${alone})
endfunction()
