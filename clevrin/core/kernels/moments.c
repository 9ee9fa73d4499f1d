/* Moments between two frames; see pace/in_between.py and render/pixels/frame_interpolation.py, which have the same in
   NumPy. */
#include "light.h"

/* `n` values at a place of an array (height, width, n), the nearest ones beyond its edges. */
INLINE void between(const float *field, int width, int height, int n, float x, float y, float *found) {
    x = within(x, 0.0f, (float)(width - 1));
    y = within(y, 0.0f, (float)(height - 1));
    int left = (int)x, top = (int)y;
    if (left > width - 2) left = width > 1 ? width - 2 : 0;
    if (top > height - 2) top = height > 1 ? height - 2 : 0;
    float across = x - left, down = y - top;
    int right = width > 1 ? n : 0, below = height > 1 ? n * width : 0;
    const float *at = field + ((int64_t)top * width + left) * n;
    float d = across * down, c = down - d, b = across - d, a = 1.0f - across - c;
    for (int k = 0; k < n; k++)
        found[k] = a * at[k] + b * at[k + right] + c * at[k + below] + d * at[k + right + below];
}

/* Where what is at a place of the moment comes from: `part` is the share of a flow up to then. */
INLINE Place arriving(const float *flow, int width, int height, float part, float x, float y, int looks,
                             float close, float misses, float *came) {
    const float *here = flow + 2 * ((int64_t)y * width + (int64_t)x);
    if (here[0] == 0.0f && here[1] == 0.0f) { /* most of a picture: it comes from where it is */
        Place still = {0.0f, 0.0f};
        *came = 1.0f;
        return still;
    }
    float back[2] = {-part * here[0], -part * here[1]};
    float there[2];
    for (int k = 0; k < looks; k++) {
        between(flow, width, height, 2, x + back[0], y + back[1], there);
        float off = fmaxf(fabsf(-part * there[0] - back[0]), fabsf(-part * there[1] - back[1]));
        back[0] = -part * there[0];
        back[1] = -part * there[1];
        if (off < close) break;
    }
    between(flow, width, height, 2, x + back[0], y + back[1], there);
    float dx = back[0] + part * there[0], dy = back[1] + part * there[1];
    *came = expf(-(dx * dx + dy * dy) / (misses * misses));
    Place found = {back[0], back[1]};
    return found;
}

/* Flows (height, width, 2) both ways and how sure they are (height, width): (height, width, 5) of a moment `share` of
   the way: displacements in the first frame and in the second, and the second one's share. */
WIDELY void moment_of_flow(const float *forward, const float *backward, const float *first_sure, const float *second_sure,
                    int width, int height, float share, int looks, float close, float misses, float unseen,
                    float seen_least, float trusted, float *moment) {
    for (int y = 0; y < height; y++) {
        for (int x = 0; x < width; x++, moment += 5) {
            float came_a, came_b, sure_a, sure_b;
            Place a = arriving(forward, width, height, share, x, y, looks, close, misses, &came_a);
            Place b = arriving(backward, width, height, 1.0f - share, x, y, looks, close, misses, &came_b);
            between(first_sure, width, height, 1, x + a.x, y + a.y, &sure_a);
            between(second_sure, width, height, 1, x + b.x, y + b.y, &sure_b);
            sure_a *= came_a;
            sure_b *= came_b;
            float told = fmaxf(fmaxf(sure_a, sure_b), fabsf(came_a - came_b));
            float trust = within(told / trusted, 0.0f, 1.0f);
            float of_a = (1.0f - share) * (sure_a + unseen * came_a) + seen_least;
            float of_b = share * (sure_b + unseen * came_b) + seen_least;
            moment[0] = a.x * trust;
            moment[1] = a.y * trust;
            moment[2] = b.x * trust;
            moment[3] = b.y * trust;
            moment[4] = of_b / (of_a + of_b);
        }
    }
}

/* How a moment is laid: `look` takes pixels of the output to the first frame, `onward` those on to the second; `size`
   of both frames; the moment's field and its size. */
typedef struct {
    const float *look, *onward, *field;
    float width, height;
    int field_width, field_height;
} Laid;

/* Places are found for every so many pixels of a row, and lie on straight lines between them: flow is no finer. */
enum { STEP = 4, STRIP = 64, KNOTS = STRIP / STEP + 1 };

/* Where some pixels of a row come from in either frame, and the second one's share. */
typedef struct {
    float first_x[STRIP], first_y[STRIP], second_x[STRIP], second_y[STRIP], share[STRIP];
} Strip;

static const float HARDLY = 1e-3f;

INLINE float inside(float x, float y, float width, float height) {
    return (x >= -0.5f && x <= width - 0.5f && y >= -0.5f && y <= height - 0.5f) ? 1.0f : 0.0f;
}

INLINE void along(const float *knots, float *values) {
    for (int k = 0; k < KNOTS - 1; k++) {
        float step = (knots[k + 1] - knots[k]) / STEP;
        for (int j = 0; j < STEP; j++) values[k * STEP + j] = knots[k] + step * j;
    }
}

INLINE void strip_of(const Laid *laid, int left, int y, Strip *made) {
    float first_x[KNOTS], first_y[KNOTS], second_x[KNOTS], second_y[KNOTS], share[KNOTS], found[5];
    float across = laid->field_width / laid->width, down = laid->field_height / laid->height;
    float back_across = 1.0f / across, back_down = 1.0f / down;
    for (int k = 0; k < KNOTS; k++) {
        Place there = moved(laid->look, (float)(left + k * STEP), (float)y);
        between(laid->field, laid->field_width, laid->field_height, 5, (there.x + 0.5f) * across - 0.5f,
                (there.y + 0.5f) * down - 0.5f, found);
        Place other = moved(laid->onward, there.x + found[2] * back_across, there.y + found[3] * back_down);
        first_x[k] = there.x + found[0] * back_across;
        first_y[k] = there.y + found[1] * back_down;
        second_x[k] = other.x;
        second_y[k] = other.y;
        share[k] = found[4];
    }
    along(first_x, made->first_x);
    along(first_y, made->first_y);
    along(second_x, made->second_x);
    along(second_y, made->second_y);
    along(share, made->share);
    for (int k = 0; k < STRIP; k++) {
        float of_first = inside(made->first_x[k], made->first_y[k], laid->width, laid->height) + HARDLY;
        float of_second = inside(made->second_x[k], made->second_y[k], laid->width, laid->height) + HARDLY;
        of_first *= 1.0f - made->share[k];
        of_second *= made->share[k];
        made->share[k] = of_second / (of_first + of_second + 1e-9f);
    }
}

/* Where each pixel of an output (height, width) comes from in either frame, and the second one's share in it. */
WIDELY void places_between(const float *look, const float *onward, float frame_width, float frame_height,
                           const float *field, int field_width, int field_height, int width, int height, float *first_x,
                           float *first_y, float *second_x, float *second_y, float *share) {
    Laid laid = {look, onward, field, frame_width, frame_height, field_width, field_height};
    Strip strip;
    for (int y = 0; y < height; y++) {
        for (int left = 0; left < width; left += STRIP) {
            int some = width - left < STRIP ? width - left : STRIP;
            strip_of(&laid, left, y, &strip);
            for (int k = 0; k < some; k++) {
                *first_x++ = strip.first_x[k];
                *first_y++ = strip.first_y[k];
                *second_x++ = strip.second_x[k];
                *second_y++ = strip.second_y[k];
                *share++ = strip.share[k];
            }
        }
    }
}

/* Adds the light of a moment to an output (height, width, 3), times `weight`. Of a part of an output `look` takes its
   own pixels to the first frame. */
WIDELY void add_moment(const float *look, const float *onward, float frame_width, float frame_height, const float *field,
                int field_width, int field_height, const float *first, int first_width, int first_height,
                const float *first_onto, const float *second, int second_width, int second_height,
                const float *second_onto, int border, const float *colour, float weight, int width, int height,
                float *total) {
    Laid laid = {look, onward, field, frame_width, frame_height, field_width, field_height};
    Part one = {first, first_width, first_height, {first_onto[0], first_onto[1], first_onto[2], first_onto[3]}};
    Part other = {second, second_width, second_height, {second_onto[0], second_onto[1], second_onto[2], second_onto[3]}};
    Strip strip;
    for (int y = 0; y < height; y++) {
        for (int left = 0; left < width; left += STRIP) {
            int some = width - left < STRIP ? width - left : STRIP;
            strip_of(&laid, left, y, &strip);
            for (int k = 0; k < some; k++, total += 3) {
                float share = strip.share[k] * weight;
                Light added = (weight - share) * light_at(&one, strip.first_x[k], strip.first_y[k], border, colour) +
                              share * light_at(&other, strip.second_x[k], strip.second_y[k], border, colour);
                for (int c = 0; c < 3; c++) total[c] += added[c];
            }
        }
    }
}
