#include "check_main.h"
START_TEST(a){}END_TEST
MARL_SUITE("x", a)
