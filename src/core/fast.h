#pragma once
// Included first by files of kernels: R compiles packages with -O2, at which gcc leaves their loops as
// they are.
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif

#include <cstddef>

// For the loops of kernels: the processor's wide instructions are used where it has them, which is found
// out when the package is loaded. None of them changes a result.
#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && defined(__GLIBC__) && \
    !defined(__SANITIZE_ADDRESS__)
#define ROWANROOT_WIDE __attribute__((target_clones("avx2", "default")))
#define ROWANROOT_WIDEST __attribute__((target_clones("arch=skylake-avx512", "avx2", "default")))
#else
#define ROWANROOT_WIDE
#define ROWANROOT_WIDEST
#endif
