# SPDX-License-Identifier: MIT
# Makes C of files: cmake -DOUT=FILE.c -DSTYLE=a.css -DSCRIPT="b.js;c.js" -DENGINE=d.js -DMODULE=e.wasm.gz -P embed.cmake
function(hex_of files into)
  set(bytes "")
  foreach(file ${files})
    file(READ "${file}" hex HEX)
    string(APPEND bytes "${hex}")
  endforeach()
  string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
  string(REGEX REPLACE "(0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,0x..,)" "\\1\n" bytes "${bytes}")
  set(${into} "${bytes}" PARENT_SCOPE)
endfunction()

function(embed_text name files)
  hex_of("${files}" bytes)
  file(APPEND "${OUT}.new" "const char ${name}[] = {\n${bytes}0};\n")
endfunction()

function(embed_bytes name file)
  hex_of("${file}" bytes)
  file(APPEND "${OUT}.new" "const uint8_t ${name}[] = {\n${bytes}};\nconst size_t ${name}_size = sizeof ${name};\n")
endfunction()

file(WRITE "${OUT}.new" "#include \"show/page_assets.h\"\n")
embed_text(show_page_style "${STYLE}")
embed_text(show_page_script "${SCRIPT}")
embed_text(show_page_engine "${ENGINE}")
embed_bytes(show_page_module "${MODULE}")
file(RENAME "${OUT}.new" "${OUT}")
