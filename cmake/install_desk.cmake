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
  install(TARGETS marlinspike)
  install(FILES src/show/module/marlinspike.wasm DESTINATION ${CMAKE_INSTALL_DATADIR}/marlinspike)
  install(DIRECTORY data/demo data/sheets data/chips data/tunings DESTINATION ${CMAKE_INSTALL_DATADIR}/marlinspike)
endif()
