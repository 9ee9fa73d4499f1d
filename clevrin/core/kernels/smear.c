/* A picture laid in several ways at once; see render/pixels/compositing.py, which has the same in OpenCV. A tile of the
   output is finished before the next one, so that what it is made of stays near. */
#include "light.h"

enum { WIDE = 64, HIGH = 8 };

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

INLINE void add_row(const Part *part, const Row *row, float weight, Light *sum) {
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
        sum[k] += weight * (above + down[k] * (below - above));
    }
}

/* Light (height, width, 3) laid by `ways` maps (ways, 9), each from the output to it, times their weights: the sum,
   (made_height, made_width, 3). */
WIDELY void smear(const float *light, int width, int height, const float *maps, const float *weights, int ways,
                  int border, const float *colour, int made_width, int made_height, float *made) {
    Part part = {light, width, height, {1.0f, 0.0f, 1.0f, 0.0f}};
    Light sum[HIGH][WIDE];
    for (int top = 0; top < made_height; top += HIGH) {
        int rows = made_height - top < HIGH ? made_height - top : HIGH;
        for (int left = 0; left < made_width; left += WIDE) {
            int some = made_width - left < WIDE ? made_width - left : WIDE;
            memset(sum, 0, sizeof sum);
            for (int way = 0; way < ways; way++) {
                for (int r = 0; r < rows; r++) {
                    Row row = row_of(maps + 9 * way, (float)left, (float)(top + r));
                    if (all_there(&row, &part)) {
                        add_row(&part, &row, weights[way], sum[r]);
                        continue;
                    }
                    for (int k = 0; k < some; k++)
                        sum[r][k] += weights[way] * light_at(&part, row.x + row.step_x * k, row.y + row.step_y * k,
                                                             border, colour);
                }
            }
            for (int r = 0; r < rows; r++) {
                float *to = made + 3 * ((int64_t)(top + r) * made_width + left);
                for (int k = 0; k < some; k++)
                    for (int c = 0; c < 3; c++) to[3 * k + c] = sum[r][k][c];
            }
        }
    }
}
