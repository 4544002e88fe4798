"""The mixing of the network's lines: what one loses the others get, so that the energy stays (see `network`)."""

import numpy as np
from numba import njit

from highhall.effects.signals import Signal


@njit(nogil=True, cache=True, fastmath={"contract"})
def mix_hadamard(x: Signal, count: int) -> None:
    """Multiply 16 lines, which lie 512 samples apart in `x`, by the orthogonal Hadamard matrix H16 / 4, in four rounds of butterflies."""
    quarter = np.float32(0.25)
    for n in range(count):
        x0 = x[n]
        x1 = x[512 + n]
        x2 = x[1024 + n]
        x3 = x[1536 + n]
        x4 = x[2048 + n]
        x5 = x[2560 + n]
        x6 = x[3072 + n]
        x7 = x[3584 + n]
        x8 = x[4096 + n]
        x9 = x[4608 + n]
        xa = x[5120 + n]
        xb = x[5632 + n]
        xc = x[6144 + n]
        xd = x[6656 + n]
        xe = x[7168 + n]
        xf = x[7680 + n]
        a0 = x0 + x1
        a1 = x0 - x1
        a2 = x2 + x3
        a3 = x2 - x3
        a4 = x4 + x5
        a5 = x4 - x5
        a6 = x6 + x7
        a7 = x6 - x7
        a8 = x8 + x9
        a9 = x8 - x9
        aa = xa + xb
        ab = xa - xb
        ac = xc + xd
        ad = xc - xd
        ae = xe + xf
        af = xe - xf
        x0 = a0 + a2
        x2 = a0 - a2
        x1 = a1 + a3
        x3 = a1 - a3
        x4 = a4 + a6
        x6 = a4 - a6
        x5 = a5 + a7
        x7 = a5 - a7
        x8 = a8 + aa
        xa = a8 - aa
        x9 = a9 + ab
        xb = a9 - ab
        xc = ac + ae
        xe = ac - ae
        xd = ad + af
        xf = ad - af
        a0 = x0 + x4
        a4 = x0 - x4
        a1 = x1 + x5
        a5 = x1 - x5
        a2 = x2 + x6
        a6 = x2 - x6
        a3 = x3 + x7
        a7 = x3 - x7
        a8 = x8 + xc
        ac = x8 - xc
        a9 = x9 + xd
        ad = x9 - xd
        aa = xa + xe
        ae = xa - xe
        ab = xb + xf
        af = xb - xf
        x[n] = (a0 + a8) * quarter
        x[4096 + n] = (a0 - a8) * quarter
        x[512 + n] = (a1 + a9) * quarter
        x[4608 + n] = (a1 - a9) * quarter
        x[1024 + n] = (a2 + aa) * quarter
        x[5120 + n] = (a2 - aa) * quarter
        x[1536 + n] = (a3 + ab) * quarter
        x[5632 + n] = (a3 - ab) * quarter
        x[2048 + n] = (a4 + ac) * quarter
        x[6144 + n] = (a4 - ac) * quarter
        x[2560 + n] = (a5 + ad) * quarter
        x[6656 + n] = (a5 - ad) * quarter
        x[3072 + n] = (a6 + ae) * quarter
        x[7168 + n] = (a6 - ae) * quarter
        x[3584 + n] = (a7 + af) * quarter
        x[7680 + n] = (a7 - af) * quarter
