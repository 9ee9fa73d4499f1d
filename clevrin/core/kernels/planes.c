/* Planes of coded values, chroma half as wide and high, to light and back; see media/colouring.py, which has the same in
   OpenCV and NumPy. Chroma is brought to the size of luma and back without being rounded on its way. */
#include "kernels.h"

enum { LAST = 65535, BLOCK = 256, HALF = BLOCK / 2 };

/* Apart from the loops around it: made wider it would gather, which is slower. */
static __attribute__((noinline)) void look_up(const float *table, const int *places, int count, float *values,
                                              int apart) {
    for (int k = 0; k < count; k++) values[apart * k] = table[places[k]];
}

static __attribute__((noinline)) void add_up(const float *table, const int *places, int count, float *values, int apart,
                                             float weight) {
    for (int k = 0; k < count; k++) values[apart * k] += weight * table[places[k]];
}

INLINE int at_most(int value, int most) { return value < most ? value : most; }

/* Where samples of chroma stand is said by `across` and `down`: at column 2c + across of luma, and so on. The rows of
   chroma about a row of luma, and how much the lower one counts. */
typedef struct {
    int upper, lower;
    float of_lower;
} Between;

INLINE Between rows_about(int row, float down, int count) {
    float at = within((row - down) / 2, 0.0f, (float)(count - 1));
    int upper = (int)at;
    Between found = {upper, at_most(upper + 1, count - 1), at - upper};
    return found;
}

#define RISEN(NAME, CODE)                                                                                              \
    /* A block of a row of chroma at the width of luma; `first` is the column of chroma at which it begins. */         \
    INLINE void NAME(const CODE *plane, int count, Between rows, int first, float across, float *risen) {              \
        float some[HALF + 2];                                                                                          \
        const CODE *upper = plane + (int64_t)count * rows.upper, *lower = plane + (int64_t)count * rows.lower;         \
        int before = first - 1, within_it = before >= 0 && before + HALF + 2 <= count;                                 \
        for (int k = 0; within_it && k < HALF + 2; k++) /* without a look at the edges */                              \
            some[k] = upper[before + k] + rows.of_lower * ((float)lower[before + k] - upper[before + k]);              \
        for (int k = 0; !within_it && k < HALF + 2; k++) {                                                             \
            int at = at_most(before + k > 0 ? before + k : 0, count - 1);                                              \
            some[k] = upper[at] + rows.of_lower * ((float)lower[at] - upper[at]);                                      \
        }                                                                                                              \
        float even = -across / 2, odd = (1 - across) / 2; /* from the sample of the same number: -0.5 to 0.5 */        \
        float even_before = even < 0 ? -even : 0, even_after = even > 0 ? even : 0;                                    \
        float odd_before = odd < 0 ? -odd : 0, odd_after = odd > 0 ? odd : 0;                                          \
        for (int k = 0; k < HALF; k++) {                                                                               \
            float own = some[k + 1], left = some[k] - own, right = some[k + 2] - own;                                  \
            risen[2 * k] = own + even_before * left + even_after * right;                                              \
            risen[2 * k + 1] = own + odd_before * left + odd_after * right;                                            \
        }                                                                                                              \
    }

RISEN(risen_bytes, uint8_t)
RISEN(risen_words, uint16_t)

#define TO_LIGHT(NAME, CODE, RISEN_CODE)                                                                               \
    WIDELY void NAME(const CODE *y, const CODE *u, const CODE *v, int width, int height, float across, float down,     \
                     const float *affine, const float *table, float weight, float *light) {                            \
        float of_u[BLOCK], of_v[BLOCK];                                                                                \
        int places[3][BLOCK], half = (width + 1) / 2;                                                                  \
        for (int row = 0; row < height; row++) {                                                                       \
            Between rows = rows_about(row, down, (height + 1) / 2);                                                    \
            for (int left = 0; left < width; left += BLOCK) {                                                          \
                int some = at_most(width - left, BLOCK);                                                               \
                RISEN_CODE(u, half, rows, left / 2, across, of_u);                                                     \
                RISEN_CODE(v, half, rows, left / 2, across, of_v);                                                     \
                for (int c = 0; c < 3; c++) {                                                                          \
                    const float *by = affine + 4 * c;                                                                  \
                    for (int k = 0; k < some; k++) {                                                                   \
                        float at = by[0] * y[k] + by[1] * of_u[k] + by[2] * of_v[k] + by[3];                           \
                        places[c][k] = (int)(within(at, 0.0f, (float)LAST) + 0.5f);                                    \
                    }                                                                                                  \
                    if (weight == 0.0f)                                                                                \
                        look_up(table, places[c], some, light + c, 3);                                                 \
                    else                                                                                               \
                        add_up(table, places[c], some, light + c, 3, weight);                                          \
                }                                                                                                      \
                y += some;                                                                                             \
                light += 3 * some;                                                                                     \
            }                                                                                                          \
        }                                                                                                              \
    }

/* Luma (height, width), chroma half as large, affine (3, 4) to places of a table of 65536: light (height, width, 3).
   With a weight it is added, times that, to what is there. */
TO_LIGHT(light_of_byte_planes, uint8_t, risen_bytes)
TO_LIGHT(light_of_word_planes, uint16_t, risen_words)

/* The places of a table for a block of light: its fourth root times `scale`. What is no number has some place. */
INLINE void places_of(const float *light, int count, float scale, int *places) {
    for (int k = 0; k < count; k++) {
        float there = light[k] > 0.0f ? light[k] : 0.0f;
        places[k] = place_in(sqrtf(sqrtf(there)) * scale + 0.5f, LAST);
    }
}

#define TO_PLANES(NAME, CODE, MOST)                                                                                    \
    WIDELY void NAME(const float *light, int width, int height, float scale, const float *table, const float *affine,  \
                     float *scratch, CODE *y, CODE *u, CODE *v) {                                                      \
        int places[3 * BLOCK], half = (width + 1) / 2;                                                                 \
        float coded[3 * BLOCK];                                                                                        \
        for (int top = 0; top < height; top += 2) {                                                                    \
            int rows = at_most(height - top, 2);                                                                       \
            for (int row = 0; row < rows; row++) {                                                                     \
                float *of_u = scratch + 2 * row * width, *of_v = of_u + width;                                         \
                for (int left = 0; left < width; left += BLOCK) {                                                      \
                    int some = at_most(width - left, BLOCK);                                                           \
                    places_of(light, 3 * some, scale, places);                                                         \
                    look_up(table, places, 3 * some, coded, 1);                                                        \
                    for (int k = 0; k < some; k++) {                                                                   \
                        float r = coded[3 * k], g = coded[3 * k + 1], b = coded[3 * k + 2];                            \
                        float luma = affine[0] * r + affine[1] * g + affine[2] * b + affine[3];                        \
                        y[k] = (CODE)(within(luma, 0.0f, (float)MOST) + 0.5f);                                         \
                        of_u[left + k] = affine[4] * r + affine[5] * g + affine[6] * b + affine[7];                    \
                        of_v[left + k] = affine[8] * r + affine[9] * g + affine[10] * b + affine[11];                  \
                    }                                                                                                  \
                    y += some;                                                                                         \
                    light += 3 * some;                                                                                 \
                }                                                                                                      \
            }                                                                                                          \
            for (int of = 0; of < 2; of++) { /* widths of 1, 2, 1 about every second column, of both rows */           \
                const float *upper = scratch + of * width, *lower = upper + 2 * (rows - 1) * width;                    \
                CODE *made = of ? v : u;                                                                               \
                for (int k = 0; k < half; k++) {                                                                       \
                    int own = 2 * k, before = own ? own - 1 : at_most(1, width - 1);                                   \
                    int after = own + 1 < width ? own + 1 : (own ? own - 1 : 0);                                       \
                    float sum = upper[before] + 2 * upper[own] + upper[after];                                         \
                    sum += lower[before] + 2 * lower[own] + lower[after];                                              \
                    made[k] = (CODE)(within(sum / 8, 0.0f, (float)MOST) + 0.5f);                                       \
                }                                                                                                      \
            }                                                                                                          \
            u += half;                                                                                                 \
            v += half;                                                                                                 \
        }                                                                                                              \
    }

/* And back: `scratch` has room for four numbers a column. Chroma is averaged down to the left of two columns. */
TO_PLANES(byte_planes_of_light, uint8_t, 255)
TO_PLANES(word_planes_of_light, uint16_t, 65535)
