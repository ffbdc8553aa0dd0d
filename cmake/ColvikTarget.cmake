# colvik_library(NAME FILES...): a library colvik_NAME with the project's warnings and the flags that
# keep results the same on every compiler.
function(colvik_flags target)
  target_compile_options(${target} PRIVATE
    -Wall -Wextra -Wpedantic -Wshadow -Wconversion -Wno-sign-conversion -Wold-style-cast -Wnon-virtual-dtor
    -Woverloaded-virtual -Wnull-dereference -Wdouble-promotion
    # No fused multiply-add: it rounds once where the written code rounds twice.
    -ffp-contract=off
    # g++ 12 raises false alarms: on arrays of vectors of which only the first few are in use, and on
    # std::string's operator+ (GCC bug 105651).
    $<$<CXX_COMPILER_ID:GNU>:-Wno-maybe-uninitialized>
    $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict>)
  if(CMAKE_CXX_FLAGS MATCHES "sanitize=thread")  # and then on the argument parser's strings
    target_compile_options(${target} PRIVATE -Wno-null-dereference)
  endif()
  if(COLVIK_WERROR)
    target_compile_options(${target} PRIVATE -Werror)
  endif()
endfunction()

function(colvik_library name)
  add_library(colvik_${name} ${ARGN})
  add_library(colvik::${name} ALIAS colvik_${name})
  target_include_directories(colvik_${name}
    PUBLIC $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include> $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>
    PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_compile_features(colvik_${name} PUBLIC cxx_std_20)
  colvik_flags(colvik_${name})
endfunction()
