/* One turn of fitting homographies to points; see motion/matching/fitting.py, which has the same in NumPy. */
#include "kernels.h"

/* The value that would stand at a place if all were in order (Hoare 1961); changes their order. */
INLINE double in_order(double *values, int count, int place) {
    int low = 0, high = count - 1;
    while (low < high) {
        double middle = values[(low + high) / 2];
        int i = low, j = high;
        while (i <= j) {
            while (values[i] < middle) i++;
            while (values[j] > middle) j--;
            if (i <= j) {
                double kept = values[i];
                values[i++] = values[j];
                values[j--] = kept;
            }
        }
        if (place <= j)
            high = j;
        else if (place >= i)
            low = i;
        else
            break;
    }
    return values[place];
}

/* For each of `frames`: how far `n` points (2, n) come from their targets (2, n) by a homography, in px; the noise of
   that by its quantiles (two of them, at `shares`, each `by` so many deviations); how much each point counts (softly,
   or by Tukey's function); and of the weighted least squares the normal matrix (8, 8) and the right side (8).
   `scratch` has room for four numbers a point. */
WIDELY void fit_turn(int frames, int n, const double *points, const double *targets, const double *bases,
                     const double *maps, double radius, int softly, double counts, const double *shares,
                     const double *by, double least, double most, double tukey, double *distances, double *noises,
                     double *weights, double *normals, double *rights, double *scratch) {
    const double *px = points, *py = points + n;
    double *x = scratch, *y = scratch + n, *depth = scratch + 2 * n, *some = scratch + 3 * n;
    for (int frame = 0; frame < frames; frame++) {
        const double *h = maps + 9 * (int64_t)frame, *base = bases + (int64_t)n * frame;
        const double *tx = targets + 2 * (int64_t)n * frame, *ty = tx + n;
        double *distance = distances + (int64_t)n * frame, *weight = weights + (int64_t)n * frame;
        int number = 0;
        for (int k = 0; k < n; k++) {
            depth[k] = 1.0 / (h[6] * px[k] + h[7] * py[k] + h[8]);
            x[k] = (h[0] * px[k] + h[1] * py[k] + h[2]) * depth[k];
            y[k] = (h[3] * px[k] + h[4] * py[k] + h[5]) * depth[k];
            double dx = tx[k] - x[k], dy = ty[k] - y[k];
            distance[k] = sqrt(dx * dx + dy * dy) * radius;
        }
        for (int k = 0; k < n; k++)
            if (base[k] > counts) some[number++] = distance[k];
        double noise = INFINITY;
        for (int q = 0; q < 2 && number; q++) {
            int place = (int)(shares[q] * (number - 1));
            double found = in_order(some, number, place) / by[q];
            noise = found < noise ? found : noise;
        }
        noise *= 1.2;
        noise = noise < least ? least : (noise < most ? noise : most);
        noises[frame] = noise;
        double sums[6] = {0}, by_x[6] = {0}, by_y[6] = {0}, both[3] = {0}, off[8] = {0};
        for (int k = 0; k < n; k++) {
            double share = softly ? distance[k] / (2 * noise) : distance[k] / (tukey * noise), w;
            if (softly) {
                w = base[k] / (1 + share * share);
            } else {
                share = share < 1 ? share : 1;
                w = base[k] * (1 - share * share) * (1 - share * share);
            }
            weight[k] = w;
            double a = px[k] * depth[k], b = py[k] * depth[k], c = depth[k];
            double wa = w * a, wb = w * b, wc = w * c, dx = tx[k] - x[k], dy = ty[k] - y[k];
            double aa = wa * a, ab = wa * b, bb = wb * b, ca = wc * a, cb = wc * b, far = x[k] * x[k] + y[k] * y[k];
            sums[0] += aa, sums[1] += ab, sums[2] += ca, sums[3] += bb, sums[4] += cb, sums[5] += wc * c;
            by_x[0] += aa * x[k], by_x[1] += ab * x[k], by_x[2] += bb * x[k], by_x[3] += ca * x[k], by_x[4] += cb * x[k];
            by_y[0] += aa * y[k], by_y[1] += ab * y[k], by_y[2] += bb * y[k], by_y[3] += ca * y[k], by_y[4] += cb * y[k];
            both[0] += aa * far, both[1] += ab * far, both[2] += bb * far;
            double along = dx * x[k] + dy * y[k];
            off[0] += wa * dx, off[1] += wb * dx, off[2] += wc * dx;
            off[3] += wa * dy, off[4] += wb * dy, off[5] += wc * dy;
            off[6] -= wa * along, off[7] -= wb * along;
        }
        double *m = normals + 64 * (int64_t)frame, *right = rights + 8 * (int64_t)frame;
        for (int k = 0; k < 64; k++) m[k] = 0;
        static const int UPPER[3][3] = {{0, 1, 2}, {1, 3, 4}, {2, 4, 5}};
        static const int ACROSS[3][2] = {{0, 1}, {1, 2}, {3, 4}};
        for (int r = 0; r < 3; r++) {
            for (int c = 0; c < 3; c++) m[8 * r + c] = m[8 * (r + 3) + c + 3] = sums[UPPER[r][c]];
            for (int c = 0; c < 2; c++) {
                m[8 * r + 6 + c] = m[8 * (6 + c) + r] = -by_x[ACROSS[r][c]];
                m[8 * (r + 3) + 6 + c] = m[8 * (6 + c) + r + 3] = -by_y[ACROSS[r][c]];
            }
        }
        m[54] = both[0], m[55] = m[62] = both[1], m[63] = both[2];
        for (int k = 0; k < 8; k++) right[k] = off[k];
    }
}
