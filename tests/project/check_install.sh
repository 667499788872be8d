#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Installs into a fresh prefix and builds against it as a user does: check_install.sh SOURCE WORK_DIR.
set -euo pipefail
source=$1 work=$2 prefix=$2/prefix
demo=$source/data/demo
rm -rf "$work"
mkdir -p "$work"
cd "$work"

cmake -S "$source" -B build -G Ninja -DCMAKE_BUILD_TYPE=Release -DCMAKE_INSTALL_PREFIX="$prefix" >log 2>&1 &&
    cmake --build build >>log 2>&1 && cmake --install build >>log 2>&1 || { cat log; exit 1; }

echo "examples by CMake package"
cmake -S "$source/examples" -B by_cmake -G Ninja -DCMAKE_PREFIX_PATH="$prefix" >log 2>&1 &&
    cmake --build by_cmake >>log 2>&1 || { cat log; exit 1; }
by_cmake/board_loop >loop.txt
grep -q '^30.00 s: roll  2.0., pitch .*, heading' loop.txt || { cat loop.txt; exit 1; }
by_cmake/two_tunings "$demo/lift.csv" "$demo/lift.reference.csv" | tee tunings.txt
[ "$(grep -c 'tilt error [0-9.]* deg rms' tunings.txt)" = 2 ]
! by_cmake/two_tunings missing.csv "$demo/lift.reference.csv" 2>error.txt
grep -q '^missing.csv: cannot be read' error.txt

echo "examples by pkg-config"
PKG_CONFIG_PATH=$(dirname "$(find "$prefix" -name marlinspike-device.pc)")
export PKG_CONFIG_PATH
# eval: pkg-config puts a backslash before each space of a path
eval "cc -std=c11 '$source/examples/board_loop.c' $(pkg-config --cflags --libs marlinspike-device) -o loop_by_pkg_config"
./loop_by_pkg_config | cmp - loop.txt
eval "cc -std=c11 '$source/examples/two_tunings.c' $(pkg-config --cflags --libs marlinspike-lab) -o tunings_by_pkg_config"
./tunings_by_pkg_config "$demo/lift.csv" "$demo/lift.reference.csv" | cmp - tunings.txt
pkg-config --cflags marlinspike-lab | grep -q -- -ffp-contract=off

echo "device library from a plain file list"
cc -std=c11 -O2 -ffp-contract=off -I"$source/include" -I"$source/src" "$source"/src/device/*/*.c "$source/examples/board_loop.c" -lm -o loop_plain
./loop_plain | cmp - loop.txt
! cc -std=c11 -ffast-math -I"$source/include" -I"$source/src" -c "$source/src/device/attitude/estimator.c" -o fast.o 2>error.txt
grep -q 'build without -ffast-math' error.txt

echo "every public header by itself, as C and as C++"
for header in "$prefix"/include/marlinspike/*.h; do
    name=marlinspike/$(basename "$header")
    echo "#include <$name>" | cc -std=c11 -Wall -Wextra -Wpedantic -Werror -I"$prefix/include" -fsyntax-only -x c -
    echo "#include <$name>" | c++ -std=c++17 -Wall -Wextra -Werror -I"$prefix/include" -fsyntax-only -x c++ -
done

echo "demo of the installed tool"
"$prefix/bin/marlinspike" demo demo_dir >demo.txt
tail -n 1 demo.txt | grep -q 'are in demo_dir'
[ -s demo_dir/lift.error.png ]
