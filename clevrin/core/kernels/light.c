/* Coded values to light and back by tables; see media/colouring.py, which has the same in NumPy. Pixels are done in
   blocks that stay near: of what is done to a block each step by itself can be done to several numbers at once. */
#include "kernels.h"

int kernels_version(void) { return KERNELS_VERSION; }

enum { LAST = 65535, BLOCK = 256 };

INLINE void look_up(const float *table, float *places, int count) {
    for (int k = 0; k < count; k++) places[k] = table[place_in(places[k] + 0.5f, LAST)];
}

#define TO_LIGHT(NAME, CODE)                                                                                           \
    void NAME(const CODE *codes, int64_t count, const float *affine, const float *table, float *light) {        \
        for (int64_t done = 0; done < count; done += BLOCK) {                                                          \
            int some = count - done < BLOCK ? (int)(count - done) : BLOCK;                                             \
            for (int k = 0; k < some; k++) {                                                                           \
                float y = codes[3 * k], u = codes[3 * k + 1], v = codes[3 * k + 2];                                    \
                light[3 * k] = affine[0] * y + affine[1] * u + affine[2] * v + affine[3];                              \
                light[3 * k + 1] = affine[4] * y + affine[5] * u + affine[6] * v + affine[7];                          \
                light[3 * k + 2] = affine[8] * y + affine[9] * u + affine[10] * v + affine[11];                        \
            }                                                                                                          \
            look_up(table, light, 3 * some);                                                                           \
            codes += 3 * BLOCK;                                                                                        \
            light += 3 * BLOCK;                                                                                        \
        }                                                                                                              \
    }

/* (count, 3) coded values, affine (3, 4) to places of a table of 65536: (count, 3) light. */
TO_LIGHT(light_of_bytes, uint8_t)
TO_LIGHT(light_of_words, uint16_t)

#define TO_CODES(NAME, CODE, MOST)                                                                                     \
    WIDELY void NAME(const float *light, int64_t count, float scale, const float *table, const float *affine,          \
              CODE *codes) {                                                                                           \
        float coded[3 * BLOCK];                                                                                        \
        for (int64_t done = 0; done < count; done += BLOCK) {                                                          \
            int some = count - done < BLOCK ? (int)(count - done) : BLOCK;                                             \
            for (int k = 0; k < 3 * some; k++) {                                                                       \
                float there = light[k] > 0.0f ? light[k] : 0.0f;                                                       \
                coded[k] = sqrtf(sqrtf(there)) * scale;                                                                \
            }                                                                                                          \
            look_up(table, coded, 3 * some);                                                                           \
            for (int k = 0; k < some; k++) {                                                                           \
                float r = coded[3 * k], g = coded[3 * k + 1], b = coded[3 * k + 2];                                    \
                float y = affine[0] * r + affine[1] * g + affine[2] * b + affine[3] + 0.5f;                            \
                float u = affine[4] * r + affine[5] * g + affine[6] * b + affine[7] + 0.5f;                            \
                float v = affine[8] * r + affine[9] * g + affine[10] * b + affine[11] + 0.5f;                          \
                codes[3 * k] = (CODE)place_in(y, MOST);                                                                \
                codes[3 * k + 1] = (CODE)place_in(u, MOST);                                                            \
                codes[3 * k + 2] = (CODE)place_in(v, MOST);                                                            \
            }                                                                                                          \
            light += 3 * BLOCK;                                                                                        \
            codes += 3 * BLOCK;                                                                                        \
        }                                                                                                              \
    }

/* (count, 3) light, by a table over its fourth root times `scale`, and affine (3, 4): (count, 3) coded values. */
TO_CODES(bytes_of_light, uint8_t, 255)
TO_CODES(words_of_light, uint16_t, 65535)
