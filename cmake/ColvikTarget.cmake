# colvik_flags(TARGET): the flags that keep results the same on every compiler, and the project's warnings.
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
    # g++ 12 raises false alarms: on arrays of vectors of which only the first few are in use, and on
    # std::string's operator+ (GCC bug 105651).
    $<$<CXX_COMPILER_ID:GNU>:-Wno-maybe-uninitialized>
    $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict>)
  if(CMAKE_CXX_FLAGS MATCHES "sanitize=thread")  # and then on the argument parser's strings
    target_compile_options(${target} PRIVATE -Wno-null-dereference)
  endif()
endfunction()

# colvik_library(NAME FILES...): the library colvik_NAME, alias colvik::NAME.
function(colvik_library name)
  add_library(colvik_${name} ${ARGN})
  add_library(colvik::${name} ALIAS colvik_${name})
  target_include_directories(colvik_${name}
    PUBLIC
      $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include>
      $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>
    PRIVATE
      ${PROJECT_SOURCE_DIR}/src)
  target_compile_features(colvik_${name} PUBLIC cxx_std_20)
  set_target_properties(colvik_${name} PROPERTIES
    EXPORT_NAME ${name}
    VERSION ${PROJECT_VERSION}
    SOVERSION ${PROJECT_VERSION_MAJOR})
  if(NOT PROJECT_IS_TOP_LEVEL)
    set_target_properties(colvik_${name} PROPERTIES EXCLUDE_FROM_ALL ON)
  endif()
  colvik_flags(colvik_${name})
endfunction()
