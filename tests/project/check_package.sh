#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The packages in SOURCE/build/package, unpacked into an empty root and used there: check_package.sh SOURCE.
set -euo pipefail
source=$1
root=$(mktemp -d)
trap 'rm -rf "$root"' EXIT
cd "$source/build/package"
for package in *.deb; do
    dpkg-deb -x "$package" "$root/unpacked"
done
usr=$root/unpacked/usr tool=$root/unpacked/usr/bin/marlinspike
mkdir "$root/home"
cd "$root/home"
export HOME=$root/home

echo "the tool does the whole job"
env -i PATH=/usr/bin:/bin HOME="$HOME" "$tool" demo made >demo.txt
grep -q '^  the calibration holds$' demo.txt
[ -s made/lift.report.html ] && [ -s made/lift.error.png ]

echo "every command has its manual page, and completion knows it"
for command in $("$tool" --as-words); do
    [ -s "$usr/share/man/man1/marlinspike-$command.1" ] || { echo "no manual page of $command"; exit 1; }
done
bash "$source/tests/project/check_describe.sh" "$usr/share/bash-completion/completions/marlinspike" "$tool"

echo "a program is built with the libraries"
flags=$(PKG_CONFIG_PATH=$usr/lib/pkgconfig pkg-config --cflags --libs marlinspike-lab)
eval "cc -std=c11 '$source/examples/two_tunings.c' $flags -o two_tunings"
./two_tunings "$usr/share/marlinspike/demo/lift.csv" "$usr/share/marlinspike/demo/lift.reference.csv" | grep -q 'deg rms'

echo "the source archive builds where there is no git"
tar -xzf "$source"/build/package/*.tar.gz
cmake -S marlinspike-* -B built -DCMAKE_BUILD_TYPE=Release -DCMAKE_C_FLAGS_RELEASE=-O1 >log 2>&1 || { cat log; exit 1; }
cmake --build built -j 2 >log 2>&1 || { cat log; exit 1; }
[ "$(built/marlinspike --version)" = "marlinspike $(sed -n 's/.*MARL_VERSION "\(.*\)"/\1/p' marlinspike-*/include/marlinspike/status.h)" ]
