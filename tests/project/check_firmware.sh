#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The folders for the build systems of firmware hold all that the device library needs, and give the same attitudes:
# check_firmware.sh SOURCE. Zephyr's and ESP-IDF's own commands are stood in for by CMake's.
set -euo pipefail
source=$1
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
python3 "$source/cmake/firmware.py" "$source" "$work/packages"
cd "$work/packages"
quietly() { "$@" >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }; }
strict=(-std=c11 -O2 -Wall -Wextra -Werror)
cc "${strict[@]}" -ffp-contract=off -I"$source/include" -I"$source/src" "$source"/src/device/*/*.c "$source/examples/board_loop.c" -lm -o "$work/wanted"
"$work/wanted" >"$work/wanted.txt"

# same NAME PROGRAM: it prints what the example of the sources prints.
same() {
    "$2" | cmp - "$work/wanted.txt" || { echo "$1: other attitudes"; exit 1; }
    echo "$1: the same attitudes"
}

quietly make -C plain board_loop
same plain plain/board_loop

python3 - <<'PYTHON'
import json

made = json.load(open("platformio/library.json"))
print("-O2", *made["build"]["flags"], file=open("flags", "w"))
PYTHON
# as that build system does: every file of the source folder, in one folder of objects
mkdir objects
read -ra flags <flags
(cd platformio && for file in src/*.c; do cc -std=c11 "${flags[@]}" -c "$file" -o "../objects/$(basename "$file").o"; done)
cc -std=c11 -Iplatformio/include platformio/examples/board_loop/board_loop.c objects/*.o -lm -o platformio_loop
same platformio ./platformio_loop

# without a flag of its own: the sources themselves keep the compiler from contracting
rm objects/*
for file in arduino/src/*.c; do cc -O2 -march=native -Iarduino/src -c "$file" -o "objects/$(basename "$file").o"; done
cc -Iarduino/src "$source/examples/board_loop.c" objects/*.o -lm -o arduino_loop
same arduino ./arduino_loop
[ -z "$(cd arduino/src && find . -name '*.c' | grep -v '/marl_' || true)" ]
for key in name version author maintainer sentence paragraph category url architectures; do
    grep -q "^$key=." arduino/library.properties || { echo "library.properties: no $key"; exit 1; }
done

mkdir stand_in
cat >stand_in/CMakeLists.txt <<'CMAKE'
cmake_minimum_required(VERSION 3.25)
project(stand_in LANGUAGES C)
set(CMAKE_C_STANDARD 11)
add_compile_options(-O2 -Wall -Wextra -Werror)
if(KIND STREQUAL "zephyr")
  set(CONFIG_MARLINSPIKE y)
  macro(zephyr_library)
    add_library(component STATIC)
  endmacro()
  macro(zephyr_include_directories)
    target_include_directories(component PUBLIC ${ARGN})
  endmacro()
  macro(zephyr_library_include_directories)
    target_include_directories(component PRIVATE ${ARGN})
  endmacro()
  macro(zephyr_library_compile_options)
    target_compile_options(component PRIVATE ${ARGN})
  endmacro()
  macro(zephyr_library_sources)
    target_sources(component PRIVATE ${ARGN})
  endmacro()
else()
  set(COMPONENT_LIB component)
  macro(idf_component_register)
    cmake_parse_arguments(IDF "" "" "SRCS;INCLUDE_DIRS;PRIV_INCLUDE_DIRS" ${ARGN})
    add_library(component STATIC ${IDF_SRCS})
    target_include_directories(component PUBLIC ${IDF_INCLUDE_DIRS} PRIVATE ${IDF_PRIV_INCLUDE_DIRS})
  endmacro()
endif()
add_subdirectory(../${KIND} ${KIND})
add_executable(loop ${EXAMPLE})
target_link_libraries(loop PRIVATE component m)
CMAKE
for kind in zephyr esp-idf; do
    quietly cmake -S stand_in -B "stand_in/$kind" -DKIND=$kind -DEXAMPLE="$source/examples/board_loop.c"
    quietly cmake --build "stand_in/$kind" -j 2
    same "$kind" "stand_in/$kind/loop"
done
