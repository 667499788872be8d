#ifndef MARL_PULL_H
#define MARL_PULL_H
#endif
