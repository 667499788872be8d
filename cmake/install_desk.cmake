# SPDX-License-Identifier: MIT
# Installation of the libraries for the desk, the tool and its data.
install(DIRECTORY include/marlinspike TYPE INCLUDE)
install(TARGETS marlinspike_lab marlinspike_sim marlinspike_posix marlinspike_show EXPORT marlinspike-desk)
install(EXPORT marlinspike-desk NAMESPACE marlinspike:: DESTINATION ${package_dir})
marl_pkg_config(lab "lab layer: logs, calibration, simulation, replay, comparison"
  "marlinspike-device jansson libcbor lapacke kissfft-float cminpack nlopt" "-lcsv -lpthread -lm" "")
marl_pkg_config(sim "simulated board" "marlinspike-lab" "" "")
marl_pkg_config(posix "serial lines" "marlinspike-device" "" "")
marl_pkg_config(show "show layer: figures and pages" "marlinspike-lab nettle libmicrohttpd liblo" "-lpthread" "")
if(MARLINSPIKE_TOOL)
  install(TARGETS marlinspike COMPONENT tool)
  if(NOT CMAKE_CROSSCOMPILING)
    set(man_dir ${CMAKE_CURRENT_BINARY_DIR}/man)
    add_custom_command(OUTPUT ${man_dir}/marlinspike.1 COMMAND ${CMAKE_COMMAND} -DTOOL=$<TARGET_FILE:marlinspike> -DOUT=${man_dir}
      -P ${PROJECT_SOURCE_DIR}/cmake/man.cmake DEPENDS marlinspike cmake/man.cmake VERBATIM)
    add_custom_target(marlinspike_man ALL DEPENDS ${man_dir}/marlinspike.1)
    install(DIRECTORY ${man_dir}/ DESTINATION ${CMAKE_INSTALL_MANDIR}/man1 COMPONENT tool)
  endif()
  install(FILES src/cli/completion/marlinspike.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions
    RENAME marlinspike COMPONENT tool)
  install(FILES src/cli/completion/_marlinspike DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/site-functions COMPONENT tool)
  install(FILES LICENSE DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/marlinspike RENAME copyright COMPONENT tool)
  install(FILES src/show/module/marlinspike.wasm DESTINATION ${CMAKE_INSTALL_DATADIR}/marlinspike COMPONENT tool)
  install(DIRECTORY data/demo data/sheets data/chips data/tunings DESTINATION ${CMAKE_INSTALL_DATADIR}/marlinspike COMPONENT tool)
endif()
