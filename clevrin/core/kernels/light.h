/* Places of pictures, and the light there. */
#ifndef CLEVRIN_LIGHT_H
#define CLEVRIN_LIGHT_H

#include "kernels.h"

#include <string.h>

typedef struct {
    float x, y;
} Place;

INLINE Place moved(const float *m, float x, float y) {
    float below = 1.0f / (m[6] * x + m[7] * y + m[8]);
    Place found = {(m[0] * x + m[1] * y + m[2]) * below, (m[3] * x + m[4] * y + m[5]) * below};
    return found;
}

enum { NEAREST = 0, MIRRORED = 1, COLOUR = 2 };

/* Light (height, width, 3) of a part of a frame; `onto` (x by, x and, y by, y and) takes pixels of the frame to its. */
typedef struct {
    const float *light;
    int width, height;
    float onto[4];
} Part;

INLINE int mirrored(int at, int count) {
    if (count < 2) return 0;
    int round = 2 * count - 2;
    at = at % round;
    if (at < 0) at += round;
    return at < count ? at : round - at;
}

/* Three numbers of light, and one more that is carried along: four are added as quickly as one. */
typedef float Light __attribute__((vector_size(16)));

INLINE Light four_at(const float *place) {
    Light found;
    memcpy(&found, place, sizeof found);
    return found;
}

INLINE Light light_at(const Part *part, float x, float y, int border, const float *colour) {
    x = within(x * part->onto[0] + part->onto[1], -1e6f, 1e6f);
    y = within(y * part->onto[2] + part->onto[3], -1e6f, 1e6f);
    int left = (int)floorf(x), top = (int)floorf(y);
    float across = x - left, down = y - top;
    float d = across * down, c = down - d, b = across - d, a = 1.0f - across - c;
    if (left >= 0 && top >= 0 && left < part->width - 2 && top < part->height - 1) { /* the fourth number is there */
        const float *p = part->light + ((int64_t)top * part->width + left) * 3, *q = p + 3 * (int64_t)part->width;
        return a * four_at(p) + b * four_at(p + 3) + c * four_at(q) + d * four_at(q + 3);
    }
    float shares[4] = {a, b, c, d};
    Light found = {0.0f, 0.0f, 0.0f, 0.0f};
    for (int corner = 0; corner < 4; corner++) {
        int u = left + (corner & 1), v = top + (corner >> 1);
        const float *from = colour;
        if (border == MIRRORED) {
            u = mirrored(u, part->width);
            v = mirrored(v, part->height);
        } else if (border == NEAREST) {
            u = u < 0 ? 0 : (u >= part->width ? part->width - 1 : u);
            v = v < 0 ? 0 : (v >= part->height ? part->height - 1 : v);
        }
        if (u >= 0 && v >= 0 && u < part->width && v < part->height)
            from = part->light + ((int64_t)v * part->width + u) * 3;
        for (int k = 0; k < 3; k++) found[k] += shares[corner] * from[k];
    }
    return found;
}

#endif
