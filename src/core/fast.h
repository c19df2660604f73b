#pragma once
// Included first by files of kernels: R compiles packages with -O2, at which gcc leaves their loops as
// they are.
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
