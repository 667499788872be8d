# SPDX-License-Identifier: MIT
# Makes C of text files: cmake -DOUT=FILE.c -DSTYLE=a.css -DSCRIPT="b.js;c.js" -P embed.cmake
function(embed name files)
  set(bytes "")
  foreach(file ${files})
    file(READ "${file}" hex HEX)
    string(APPEND bytes "${hex}")
  endforeach()
  string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
  string(REGEX REPLACE "(0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,)" "\\1\n" bytes "${bytes}")
  file(APPEND "${OUT}.new" "const char ${name}[] = {\n${bytes}0};\n")
endfunction()

file(WRITE "${OUT}.new" "#include \"show/page_assets.h\"\n")
embed(show_page_style "${STYLE}")
embed(show_page_script "${SCRIPT}")
file(RENAME "${OUT}.new" "${OUT}")
