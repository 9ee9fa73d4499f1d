/* A picture laid in several ways at once; see render/pixels/compositing.py, which has the same in OpenCV. A tile of the
   output is finished before the next one, so that what it is made of stays near. */
#include "light.h"

enum { WIDE = 64, HIGH = 8, ROOM = 3 * WIDE + 1 };

/* So far a row of a tile may lean, or be stretched, to be laid by runs: their pixels are neighbours in the picture. */
static const float HARDLY = 0.1f;

/* Of which pixel of a row each number of light is. */
static const float PIXEL[3 * WIDE] = {
    0, 0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 3, 4, 4, 4, 5, 5, 5, 6, 6, 6, 7, 7, 7, 8, 8, 8, 9, 9, 9, 10, 10, 10, 11, 11, 11,
    12, 12, 12, 13, 13, 13, 14, 14, 14, 15, 15, 15, 16, 16, 16, 17, 17, 17, 18, 18, 18, 19, 19, 19, 20, 20, 20,
    21, 21, 21, 22, 22, 22, 23, 23, 23, 24, 24, 24, 25, 25, 25, 26, 26, 26, 27, 27, 27, 28, 28, 28, 29, 29, 29,
    30, 30, 30, 31, 31, 31, 32, 32, 32, 33, 33, 33, 34, 34, 34, 35, 35, 35, 36, 36, 36, 37, 37, 37, 38, 38, 38,
    39, 39, 39, 40, 40, 40, 41, 41, 41, 42, 42, 42, 43, 43, 43, 44, 44, 44, 45, 45, 45, 46, 46, 46, 47, 47, 47,
    48, 48, 48, 49, 49, 49, 50, 50, 50, 51, 51, 51, 52, 52, 52, 53, 53, 53, 54, 54, 54, 55, 55, 55, 56, 56, 56,
    57, 57, 57, 58, 58, 58, 59, 59, 59, 60, 60, 60, 61, 61, 61, 62, 62, 62, 63, 63, 63,
};

/* Where the pixels of a row of a tile come from: on a straight line from one end of it to the other. */
typedef struct {
    float x, y, step_x, step_y;
} Row;

INLINE Row row_of(const float *map, float left, float y) {
    Place from = moved(map, left, y), to = moved(map, left + WIDE, y);
    Row found = {from.x, from.y, (to.x - from.x) / WIDE, (to.y - from.y) / WIDE};
    return found;
}

INLINE int all_there(const Row *row, const Part *part) {
    float x = row->x + WIDE * row->step_x, y = row->y + WIDE * row->step_y;
    return fminf(row->x, x) >= 0.0f && fminf(row->y, y) >= 0.0f && fmaxf(row->x, x) < (float)(part->width - 3) &&
           fmaxf(row->y, y) < (float)(part->height - 2);
}

/* Adds some pixels of a row that begin at one of the picture, `across` and `down` beside it, and go on by those steps. */
WIDELY void add_run(const float *above, const float *below, int some, float across, float step_x, float down,
                    float step_y, float weight, float *sum) {
    for (int k = 0; k < 3 * some; k++) {
        float x = across + step_x * PIXEL[k], y = down + step_y * PIXEL[k];
        float high = above[k] + x * (above[k + 3] - above[k]), low = below[k] + x * (below[k + 3] - below[k]);
        sum[k] += weight * (high + y * (low - high));
    }
}

/* For how many pixels a place that is `over` a whole number, and goes on by `step`, stays over the same one. */
INLINE int lasting(float over, float step, int most) {
    float last = step > 0.0f ? (1.0f - over) / step : (step < 0.0f ? over / -step : (float)most);
    return last < (float)(most - 1) ? (int)last + 1 : most;
}

INLINE void add_light(float *sum, float weight, Light light) {
    for (int c = 0; c < 3; c++) sum[c] += weight * light[c];
}

INLINE void add_runs(const Part *part, const Row *row, int pixels, float weight, int border, const float *colour,
                     float *sum) {
    float step = row->step_x - 1.0f; /* beside that of a picture laid as large as it is */
    for (int k = 0; k < pixels;) {
        float x = row->x + row->step_x * k, y = row->y + row->step_y * k;
        if (!(x >= 0.0f && y >= 0.0f && x < (float)(part->width - 1) && y < (float)(part->height - 1))) {
            add_light(sum + 3 * k++, weight, light_at(part, x, y, border, colour));
            continue;
        }
        int left = (int)x, top = (int)y, most = part->width - 1 - left;
        int some = lasting(y - top, row->step_y, lasting(x - left, step, pixels - k < most ? pixels - k : most));
        const float *at = part->light + 3 * ((int64_t)top * part->width + left);
        add_run(at, at + 3 * (int64_t)part->width, some, x - left, step, y - top, row->step_y, weight, sum + 3 * k);
        k += some;
    }
}

INLINE void add_row(const Part *part, const Row *row, float weight, float *sum) {
    int at[WIDE];
    float across[WIDE], down[WIDE];
    for (int k = 0; k < WIDE; k++) {
        float x = row->x + row->step_x * k, y = row->y + row->step_y * k;
        int left = (int)x, top = (int)y;
        across[k] = x - left;
        down[k] = y - top;
        at[k] = 3 * (top * part->width + left);
    }
    for (int k = 0; k < WIDE; k++) {
        const float *p = part->light + at[k], *q = p + 3 * part->width;
        Light left = four_at(p), right = four_at(p + 3), left_below = four_at(q), right_below = four_at(q + 3);
        Light above = left + across[k] * (right - left), below = left_below + across[k] * (right_below - left_below);
        add_light(sum + 3 * k, weight, above + down[k] * (below - above));
    }
}

/* Light (height, width, 3) laid by `ways` maps (ways, 9), each from the output to it, times their weights: the sum,
   (made_height, made_width, 3), of these and, if it is `more`, of what was there. */
void smear(const float *light, int width, int height, const float *maps, const float *weights, int ways,
                  int border, const float *colour, int made_width, int made_height, int more, float *made) {
    Part part = {light, width, height, {1.0f, 0.0f, 1.0f, 0.0f}};
    float sum[HIGH][ROOM];
    for (int top = 0; top < made_height; top += HIGH) {
        int rows = made_height - top < HIGH ? made_height - top : HIGH;
        for (int left = 0; left < made_width; left += WIDE) {
            int some = made_width - left < WIDE ? made_width - left : WIDE;
            memset(sum, 0, sizeof sum);
            for (int way = 0; way < ways; way++) {
                for (int r = 0; r < rows; r++) {
                    Row row = row_of(maps + 9 * way, (float)left, (float)(top + r));
                    if (fabsf(row.step_x - 1.0f) < HARDLY && fabsf(row.step_y) < HARDLY) {
                        add_runs(&part, &row, some, weights[way], border, colour, sum[r]);
                    } else if (all_there(&row, &part)) {
                        add_row(&part, &row, weights[way], sum[r]);
                    } else {
                        for (int k = 0; k < some; k++)
                            add_light(sum[r] + 3 * k, weights[way],
                                      light_at(&part, row.x + row.step_x * k, row.y + row.step_y * k, border, colour));
                    }
                }
            }
            for (int r = 0; r < rows; r++) {
                float *to = made + 3 * ((int64_t)(top + r) * made_width + left);
                for (int k = 0; k < 3 * some; k++) to[k] = more ? to[k] + sum[r][k] : sum[r][k];
            }
        }
    }
}
