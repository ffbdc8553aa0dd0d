# Install rules: libraries, headers, a relocatable package for find_package, pkg-config files, and
# Debian packages.
include(CMakePackageConfigHelpers)
set(colvik_cmake_dir ${CMAKE_INSTALL_LIBDIR}/cmake/colvik)
set(colvik_components "")
foreach(component core threads fit art scene explain insight recording picture)
  if(NOT TARGET colvik_${component})
    continue()
  endif()
  list(APPEND colvik_components ${component})
  install(TARGETS colvik_${component}
    EXPORT colvik_${component}
    RUNTIME COMPONENT runtime
    LIBRARY COMPONENT runtime NAMELINK_COMPONENT development
    ARCHIVE COMPONENT development
    FILE_SET HEADERS COMPONENT development)
  install(EXPORT colvik_${component}
    NAMESPACE colvik::
    FILE colvik-${component}.cmake
    DESTINATION ${colvik_cmake_dir}
    COMPONENT development)
endforeach()

configure_package_config_file(${PROJECT_SOURCE_DIR}/cmake/colvikConfig.cmake.in
  ${PROJECT_BINARY_DIR}/colvikConfig.cmake
  INSTALL_DESTINATION ${colvik_cmake_dir})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/colvikConfigVersion.cmake
  COMPATIBILITY SameMinorVersion)
install(FILES
  ${PROJECT_BINARY_DIR}/colvikConfig.cmake
  ${PROJECT_BINARY_DIR}/colvikConfigVersion.cmake
  DESTINATION ${colvik_cmake_dir}
  COMPONENT development)

# pkg-config: one file a component. What a static library needs besides is private to a shared one.
set(colvik_pc_core_text "2D and 3D contact world")
set(colvik_pc_core_requires "eigen3")
set(colvik_pc_core_private "fmt libhwy")
set(colvik_pc_threads_text "threads for colvik worlds")
set(colvik_pc_threads_libs "-pthread")
set(colvik_pc_fit_text "colliders fitted to art")
set(colvik_pc_fit_private "fmt")
set(colvik_pc_fit_libs "-lmeshoptimizer")
set(colvik_pc_art_text "art for colvik from files")
set(colvik_pc_art_requires "colvik-fit = ${PROJECT_VERSION}")
set(colvik_pc_art_private "fmt pugixml libpng")
set(colvik_pc_scene_text "colvik scene files")
set(colvik_pc_scene_private "colvik-art fmt tomlplusplus")
set(colvik_pc_explain_text "why something in a colvik scene fired or did not")
set(colvik_pc_explain_requires "colvik-scene = ${PROJECT_VERSION}")
set(colvik_pc_explain_private "fmt")
set(colvik_pc_insight_text "colvik reports and event logs")
set(colvik_pc_insight_private "fmt pugixml")
set(colvik_pc_recording_text "recordings of colvik runs")
set(colvik_pc_recording_private "fmt libzstd")
set(colvik_pc_picture_text "colvik pictures")
set(colvik_pc_picture_requires "colvik-fit = ${PROJECT_VERSION}")
set(colvik_pc_picture_private "fmt cairo libwebp libwebpmux")
file(RELATIVE_PATH colvik_pc_prefix /${CMAKE_INSTALL_LIBDIR}/pkgconfig /)
foreach(component IN LISTS colvik_components)
  set(pc_text ${colvik_pc_${component}_text})
  set(pc_libs "${colvik_pc_${component}_libs}")
  set(pc_requires "${colvik_pc_${component}_requires}")
  if(NOT pc_requires)
    set(pc_requires "colvik-core = ${PROJECT_VERSION}")
  endif()
  set(pc_private "${colvik_pc_${component}_private}")
  if(NOT BUILD_SHARED_LIBS)
    set(pc_requires "${pc_requires} ${pc_private}")
    set(pc_private "")
  endif()
  set(pc_component ${component})
  configure_file(${PROJECT_SOURCE_DIR}/cmake/colvik.pc.in
    ${PROJECT_BINARY_DIR}/colvik-${component}.pc @ONLY)
  install(FILES ${PROJECT_BINARY_DIR}/colvik-${component}.pc
    DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig
    COMPONENT development)
endforeach()

if(COLVIK_TOOL)
  install(TARGETS colvik_tool RUNTIME COMPONENT tool)
  # The manual page and the shell's completions come from the same text as --help.
  add_custom_command(
    OUTPUT colvik.1 colvik.bash
    COMMAND colvik_tool --print-manual > colvik.1
    COMMAND colvik_tool --print-completion > colvik.bash
    DEPENDS colvik_tool
    WORKING_DIRECTORY ${PROJECT_BINARY_DIR}
    VERBATIM)
  add_custom_target(colvik_manual ALL DEPENDS ${PROJECT_BINARY_DIR}/colvik.1)
  install(FILES ${PROJECT_BINARY_DIR}/colvik.1
    DESTINATION ${CMAKE_INSTALL_MANDIR}/man1
    COMPONENT tool)
  install(FILES ${PROJECT_BINARY_DIR}/colvik.bash
    DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions
    RENAME colvik
    COMPONENT tool)
endif()

# Debian packages: cpack -G DEB in the build folder, of a build with BUILD_SHARED_LIBS.
set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME colvik)
set(CPACK_PACKAGE_CONTACT "The Colvik developers <colvik@example.org>")
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_DEB_COMPONENT_INSTALL ON)
set(CPACK_COMPONENTS_ALL runtime development tool)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS_PRIVATE_DIRS ${PROJECT_BINARY_DIR}/src)
set(CPACK_DEBIAN_PACKAGE_GENERATE_SHLIBS ON)
set(CPACK_DEBIAN_RUNTIME_PACKAGE_NAME libcolvik${PROJECT_VERSION_MAJOR})
set(CPACK_DEBIAN_RUNTIME_PACKAGE_SECTION libs)
set(CPACK_COMPONENT_RUNTIME_DESCRIPTION "Contact world for games: shared libraries")
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_NAME libcolvik-dev)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_SECTION libdevel)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_DEPENDS
  "libcolvik${PROJECT_VERSION_MAJOR} (= ${PROJECT_VERSION}), libeigen3-dev")
set(CPACK_COMPONENT_DEVELOPMENT_DESCRIPTION "Contact world for games: headers and CMake package")
set(CPACK_DEBIAN_TOOL_PACKAGE_NAME colvik)
set(CPACK_DEBIAN_TOOL_PACKAGE_SECTION games)
set(CPACK_COMPONENT_TOOL_DESCRIPTION "Contact world for games: the command-line tool")
include(CPack)
