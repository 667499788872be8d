# SPDX-License-Identifier: MIT
# Installation of the device library: headers, archive, CMake package, pkg-config file. Nothing in them names a
# place of this machine, so that `cmake --install --prefix` may put them anywhere.
include(CMakePackageConfigHelpers)
set(package_dir ${CMAKE_INSTALL_LIBDIR}/cmake/marlinspike)
file(RELATIVE_PATH prefix_from_pc "/${CMAKE_INSTALL_LIBDIR}/pkgconfig" "/")
string(REGEX REPLACE "/$" "" prefix_from_pc "${prefix_from_pc}")

# marl_pkg_config(NAME ABOUT REQUIRES LIBS CFLAGS)
function(marl_pkg_config name about requires libs cflags)
  configure_file(${PROJECT_SOURCE_DIR}/cmake/library.pc.in marlinspike-${name}.pc @ONLY)
  install(FILES ${CMAKE_CURRENT_BINARY_DIR}/marlinspike-${name}.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
endfunction()

foreach(header app chip device estimator port quat renew sample status tuning)
  install(FILES include/marlinspike/${header}.h DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/marlinspike)
endforeach()
install(TARGETS marlinspike_device EXPORT marlinspike-device)
install(EXPORT marlinspike-device NAMESPACE marlinspike:: DESTINATION ${package_dir})
configure_package_config_file(cmake/marlinspike-config.cmake.in marlinspike-config.cmake INSTALL_DESTINATION ${package_dir})
write_basic_package_version_file(marlinspike-config-version.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/marlinspike-config.cmake
  ${CMAKE_CURRENT_BINARY_DIR}/marlinspike-config-version.cmake DESTINATION ${package_dir})
marl_pkg_config(device "device layer: estimators, correction, stillness" "" "-lm" "-ffp-contract=off")
