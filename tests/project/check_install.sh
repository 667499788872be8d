#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Installs into a fresh prefix with a blank in its path and builds against it as users do:
# check_install.sh SOURCE WORK_DIR.
set -euo pipefail
source=$1 work=$2 prefix="$2/a prefix"
demo=$source/data/demo
rm -rf "$work"
mkdir -p "$work"
cd "$work"
quietly() { "$@" >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }; }
strict='-Wall -Wextra -Wconversion -Wdouble-promotion -Werror'

echo "installed, into a prefix that the build did not know"
(cd "$source" && quietly cmake --preset release && quietly cmake --build --preset release)
quietly cmake --install "$source/build/release" --prefix "$prefix"
found=$(grep -rlF -e "$source" -e "$work" "$prefix" --include='*.cmake' --include='*.pc' --include='*.h' || true)
[ -z "$found" ] || { echo "places of this machine in: $found"; exit 1; }

echo "examples by CMake package"
quietly cmake -S "$source/examples" -B by_cmake -DCMAKE_PREFIX_PATH="$prefix"
quietly cmake --build by_cmake
by_cmake/board_loop >loop.txt
grep -q '^30.00 s: roll  2.0., pitch .*, heading' loop.txt || { cat loop.txt; exit 1; }
by_cmake/two_tunings "$demo/lift.csv" "$demo/lift.reference.csv" | tee tunings.txt
[ "$(grep -c 'complementary:tilt_time=[28]: [0-9.]* deg rms' tunings.txt)" = 2 ]
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

# A consumer's project: C and C++, with warnings as errors.
mkdir consumer
cat >consumer/firmware.c <<'C'
#include <marlinspike/device.h>
int main(void)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_estimator estimator;
    return marl_estimator_init(&estimator, &tuning) == MARL_OK && marl_version()[0] == MARL_VERSION[0] ? 0 : 1;
}
C
sed 's/(void)/()/' consumer/firmware.c >consumer/firmware.cpp
cat >consumer/CMakeLists.txt <<'CMAKE'
cmake_minimum_required(VERSION 3.25)
project(consumer C CXX)
if(MARLINSPIKE_SOURCE)
  add_subdirectory("${MARLINSPIKE_SOURCE}" marlinspike)
else()
  find_package(marlinspike REQUIRED COMPONENTS device)
endif()
foreach(source firmware.c firmware.cpp)
  string(REPLACE . _ name ${source})
  add_executable(${name} ${source})
  target_link_libraries(${name} PRIVATE marlinspike::device)
endforeach()
CMAKE

echo "device library alone: no pkg-config, no jansson, no tool"
mkdir no_tools
printf '#!/bin/sh\nexit 1\n' >no_tools/pkg-config
chmod +x no_tools/pkg-config
quietly env PATH="$PWD/no_tools:$PATH" cmake -S "$source" -B device_build -G "Unix Makefiles" -DMARLINSPIKE_DEVICE_ONLY=ON
quietly cmake --build device_build -j 2
quietly cmake --install device_build --prefix "$work/device only"
headers=$(cd "device only/include/marlinspike" && echo *.h)
[ "$headers" = "app.h chip.h device.h estimator.h port.h quat.h renew.h sample.h status.h tuning.h" ] || { echo "headers: $headers"; exit 1; }
for compiler in gcc:g++ clang:clang++; do
    c=${compiler%:*} cxx=${compiler#*:}
    if ! command -v "$c" >/dev/null || ! command -v "$cxx" >/dev/null; then
        echo "  $c is not installed: left out"
        continue
    fi
    quietly env PATH="$PWD/no_tools:$PATH" CC="$c" CXX="$cxx" CFLAGS="$strict" CXXFLAGS="$strict" \
        cmake -S consumer -B "consumer_$c" -DCMAKE_PREFIX_PATH="$work/device only"
    quietly cmake --build "consumer_$c"
    "consumer_$c/firmware_c" && "consumer_$c/firmware_cpp"
done

echo "as a subdirectory: only what the consumer uses, no tool, no image, no installed program"
quietly cmake -S consumer -B inside -DMARLINSPIKE_SOURCE="$source" -DMARLINSPIKE_DEVICE_ONLY=ON
quietly cmake --build inside
[ -z "$(find inside -name marlinspike -type f -perm -u+x)" ]
if command -v arm-none-eabi-gcc >/dev/null; then
    sed 's/ CXX)/)/; s/firmware.c firmware.cpp/firmware.c/; s/add_executable/add_library/' consumer/CMakeLists.txt >cross.txt
    mkdir cross && cp consumer/firmware.c cross/ && mv cross.txt cross/CMakeLists.txt
    quietly cmake -S cross -B cross_build -DCMAKE_TOOLCHAIN_FILE="$source/cmake/arm.cmake" -DMARLINSPIKE_CORE=cortex-m0 -DMARLINSPIKE_SOURCE="$source"
    quietly cmake --build cross_build
    [ -z "$(find cross_build -name '*.elf')" ]
fi

echo "a source archive without git, in a folder with a blank, without Ninja"
mkdir "an archive"
(cd "$source" && tar -cf - --exclude=./build --exclude=./.git .) | tar -xf - -C "an archive"
bash "an archive/tests/project/check_layers.sh" "$PWD/an archive"
quietly cmake -S "an archive" -B "a build" -G "Unix Makefiles" -DMARLINSPIKE_DEVICE_ONLY=ON
quietly cmake --build "a build" -j 2

echo "every public header by itself, as C and as C++"
for header in "$prefix"/include/marlinspike/*.h; do
    name=marlinspike/$(basename "$header")
    echo "#include <$name>" | cc -std=c11 -Wall -Wextra -Wpedantic -Werror -I"$prefix/include" -fsyntax-only -x c -
    echo "#include <$name>" | c++ -std=c++17 -Wall -Wextra -Werror -I"$prefix/include" -fsyntax-only -x c++ -
done

echo "what is linked and public has the prefix marl_ and a header, what is private another prefix"
cat "$prefix"/include/marlinspike/*.h | grep -oE '\bmarl_[a-z0-9_]+' | sort -u >declared.txt
for library in "$source"/build/release/libmarlinspike_*.a; do
    nm "$library" | awk 'NF == 3 && $2 ~ /[A-TV-Z]/ { print $3 }' | sort -u >linked.txt
    found=$(grep -vE '^(marl|marlp|lab|show)_' linked.txt || true)
    [ -z "$found" ] || { echo "$library: without a prefix: $found"; exit 1; }
    found=$(grep '^marl_' linked.txt | comm -23 - declared.txt)
    [ -z "$found" ] || { echo "$library: in no header: $found"; exit 1; }
done

echo "demo of the installed tool, moved to another place"
mv "$prefix" "$work/moved"
"$work/moved/bin/marlinspike" demo demo_dir >demo.txt
grep -q 'files are in demo_dir' demo.txt
[ -s demo_dir/lift.error.png ]
