#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""The device library as the build systems of firmware take it: firmware.py SOURCE DIR.

One list of files (src/device and the headers that the device library installs), five folders: plain (a Makefile),
platformio, zephyr, esp-idf, arduino. Every file of ours is called marl_*, so that none meets another in a flat
folder; what they include is renamed with them."""
import json
import pathlib
import re
import shutil
import sys

source, out = pathlib.Path(sys.argv[1]), pathlib.Path(sys.argv[2])
VERSION = re.search(r'MARL_VERSION "(.*)"', (source / "include/marlinspike/status.h").read_text())[1]
ABOUT = "Calibrates inertial sensors and estimates orientation: correction, filters, chip tables, telemetry, store."
FLAG = "-ffp-contract=off"
PUBLIC = re.search(r"foreach\(header (.*)\)", (source / "cmake/install_device.cmake").read_text())[1].split()
PRIVATE = sorted((source / "src/device").glob("*/*.[ch]"))


def flat(name):
    return "marl_" + name


def renamed(text):
    return re.sub(r'#include "device/\w+/(\w+\.h)"', lambda m: f'#include "{flat(m[1])}"', text)


def lay_out(folder, include):
    """Sources into folder/src, public headers into folder/INCLUDE/marlinspike; the names of the .c files."""
    (folder / "src").mkdir(parents=True)
    (folder / include / "marlinspike").mkdir(parents=True)
    for path in PRIVATE:
        (folder / "src" / flat(path.name)).write_text(renamed(path.read_text()))
    for header in PUBLIC:
        shutil.copy(source / f"include/marlinspike/{header}.h", folder / include / "marlinspike")
    shutil.copy(source / "LICENSE", folder)
    return [f"src/{flat(p.name)}" for p in PRIVATE if p.suffix == ".c"]


def example(folder, name):
    (folder / "examples" / "board_loop").mkdir(parents=True)
    shutil.copy(source / "examples/board_loop.c", folder / "examples" / "board_loop" / name)


def plain():
    folder = out / "plain"
    files = lay_out(folder, "include")
    example(folder, "board_loop.c")
    (folder / "Makefile").write_text(f"""# SPDX-License-Identifier: MIT
CFLAGS += -std=c11 -O2 {FLAG} -Iinclude -Isrc
objects := $(patsubst %.c,%.o,{" ".join(files)})
libmarlinspike.a: $(objects)
\t$(AR) rcs $@ $^
board_loop: examples/board_loop/board_loop.c libmarlinspike.a
\t$(CC) $(CFLAGS) $^ -lm -o $@
""")


def platformio():
    folder = out / "platformio"
    lay_out(folder, "include")
    example(folder, "board_loop.c")
    (folder / "library.json").write_text(json.dumps({
        "name": "marlinspike", "version": VERSION, "description": ABOUT, "license": "MIT",
        "keywords": ["accelerometer", "gyroscope", "magnetometer", "attitude", "calibration"],
        "frameworks": "*", "platforms": "*", "headers": "marlinspike/device.h",
        "build": {"srcDir": "src", "includeDir": "include", "flags": [FLAG, "-Iinclude", "-Isrc"]},
    }, indent=2) + "\n")


def zephyr():
    folder = out / "zephyr"
    files = lay_out(folder, "include")
    (folder / "zephyr").mkdir()
    (folder / "zephyr/module.yml").write_text("name: marlinspike\nbuild:\n  cmake: .\n  kconfig: zephyr/Kconfig\n")
    (folder / "zephyr/Kconfig").write_text(
        'config MARLINSPIKE\n\tbool "Marlinspike: orientation from inertial sensors"\n\thelp\n\t  ' + ABOUT + "\n")
    (folder / "CMakeLists.txt").write_text("# SPDX-License-Identifier: MIT\nif(CONFIG_MARLINSPIKE)\n"
                                           "  zephyr_library()\n  zephyr_include_directories(include)\n"
                                           "  zephyr_library_include_directories(src)\n"
                                           f"  zephyr_library_compile_options({FLAG})\n  zephyr_library_sources(\n"
                                           + "".join(f"    {f}\n" for f in files) + "  )\nendif()\n")


def esp_idf():
    folder = out / "esp-idf"
    files = lay_out(folder, "include")
    (folder / "idf_component.yml").write_text(f'version: "{VERSION}"\ndescription: "{ABOUT}"\nlicense: MIT\n')
    (folder / "CMakeLists.txt").write_text("# SPDX-License-Identifier: MIT\nidf_component_register(\n  SRCS\n"
                                           + "".join(f"    {f}\n" for f in files)
                                           + "  INCLUDE_DIRS include\n  PRIV_INCLUDE_DIRS src)\n"
                                           f"target_compile_options(${{COMPONENT_LIB}} PRIVATE {FLAG})\n")


def arduino():
    folder = out / "arduino"
    lay_out(folder, "src")
    (folder / "src/Marlinspike.h").write_text("/* SPDX-License-Identifier: MIT\n * The whole device library. */\n"
                                              '#include "marlinspike/device.h"\n')
    (folder / "library.properties").write_text(
        f"name=Marlinspike\nversion={VERSION}\nauthor=The Marlinspike authors\nmaintainer=The Marlinspike authors\n"
        f"sentence={ABOUT}\nparagraph=The same bits as on the desk; marl_selftest proves it at boot.\n"
        "category=Sensors\nurl=https://marlinspike.invalid\narchitectures=*\nincludes=Marlinspike.h\n")


names = [p.name for p in PRIVATE]
assert len(set(names)) == len(names), "two files of one name"
shutil.rmtree(out, ignore_errors=True)
for layout in (plain, platformio, zephyr, esp_idf, arduino):
    layout()
print(f"{out}: plain, platformio, zephyr, esp-idf, arduino; {len(PRIVATE)} files of the device layer each")
