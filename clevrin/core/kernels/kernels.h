/* What all kernels share. Arrays are contiguous; callers have checked shapes and types. */
#ifndef CLEVRIN_KERNELS_H
#define CLEVRIN_KERNELS_H

#include <math.h>
#include <stdint.h>

/* Goes up with every change of a signature: a library of another number is not used. */
#define KERNELS_VERSION 6

/* A loop is compiled for old and for newer processors, and chosen when it is loaded, by what they can do: by their name
   ("arch=haswell") only those of that year would be meant. Not for what looks up tables or pictures by places of their
   own: made wider that is slower (measured, a quarter to three quarters). */
#if defined(__x86_64__) && defined(__GNUC__) && __GNUC__ >= 12 && !defined(__clang__) && defined(__linux__)
#define WIDELY __attribute__((target_clones("arch=x86-64-v3", "default")))
#else
#define WIDELY
#endif

/* What is called for each pixel becomes part of the loop, and of each way in which that is compiled. */
#if defined(__GNUC__)
#define INLINE static inline __attribute__((always_inline))
#else
#define INLINE static inline
#endif

/* Whatever a float is, not a number included: a place that is there. */
INLINE int place_in(float value, int last) {
    int place = (int)value;
    return place < 0 ? 0 : (place > last ? last : place);
}

INLINE float within(float value, float low, float high) {
    return value < low ? low : (value > high ? high : value);
}

#endif
