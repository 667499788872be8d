# SPDX-License-Identifier: MIT
# The commit that is built, as a header: cmake -DSOURCE=DIR -DOUT=commit.h -P commit.cmake. Without git it is empty.
execute_process(COMMAND git -C ${SOURCE} rev-parse --short=10 HEAD OUTPUT_VARIABLE commit OUTPUT_STRIP_TRAILING_WHITESPACE
  ERROR_QUIET RESULT_VARIABLE failed)
execute_process(COMMAND git -C ${SOURCE} diff --quiet HEAD RESULT_VARIABLE changed ERROR_QUIET)
if(failed)
  set(commit "")
elseif(changed)
  string(APPEND commit ", changed")
endif()
set(text "#define MARL_COMMIT \"${commit}\"\n")
set(before "")
if(EXISTS "${OUT}")
  file(READ "${OUT}" before)
endif()
if(NOT text STREQUAL before)
  file(WRITE "${OUT}" "${text}")
endif()
