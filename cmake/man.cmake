# SPDX-License-Identifier: MIT
# Manual pages, which the tool writes of its own tables: cmake -DTOOL=FILE -DOUT=DIR -P man.cmake
function(write_page name)
  execute_process(COMMAND ${TOOL} ${ARGN} --as-man OUTPUT_VARIABLE text COMMAND_ERROR_IS_FATAL ANY)
  file(WRITE ${OUT}/${name}.1 "${text}")
endfunction()

execute_process(COMMAND ${TOOL} --as-words OUTPUT_VARIABLE commands OUTPUT_STRIP_TRAILING_WHITESPACE COMMAND_ERROR_IS_FATAL ANY)
string(REPLACE "\n" ";" commands "${commands}")
write_page(marlinspike)
foreach(command ${commands})
  write_page(marlinspike-${command} ${command})
endforeach()
