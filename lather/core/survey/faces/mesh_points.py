"""Which points of the mesh are what. Left and right are the person's own.

The first 468 are numbered as the network gives them; then come the right and the left eye: the
16 points of the lids' rim, the middle of the iris and four points of its rim.
"""

from __future__ import annotations

N_MESH, N_LIDS, N_IRIS = 468, 16, 5
N_EYE = N_LIDS + N_IRIS
N_POINTS = N_MESH + 2 * N_EYE
RIGHT, LEFT = 0, 1

# Rings, in order around.
LIPS_OUTER = (61, 146, 91, 181, 84, 17, 314, 405, 321, 375, 291, 409, 270, 269, 267, 0, 37, 39,
              40, 185)  # fmt: skip
LIPS_INNER = (78, 95, 88, 178, 87, 14, 317, 402, 318, 324, 308, 415, 310, 311, 312, 13, 82, 81,
              80, 191)  # fmt: skip
EYES = (
    (33, 7, 163, 144, 145, 153, 154, 155, 133, 173, 157, 158, 159, 160, 161, 246),
    (362, 382, 381, 380, 374, 373, 390, 249, 263, 466, 388, 387, 386, 385, 384, 398),
)
BROWS = (
    (70, 63, 105, 66, 107, 55, 65, 52, 53, 46),
    (300, 293, 334, 296, 336, 285, 295, 282, 283, 276),
)
OVAL = (10, 338, 297, 332, 284, 251, 389, 356, 454, 323, 361, 288, 397, 365, 379, 378, 400, 377,
        152, 148, 176, 149, 150, 136, 172, 58, 132, 93, 234, 127, 162, 21, 54, 103, 67,
        109)  # fmt: skip

# Parts of the face, as rings.
UNDER_EYES = (
    (33, 7, 163, 144, 145, 153, 154, 155, 133, 243, 244, 245, 128, 121, 120, 119, 118, 117, 111,
     226),
    (263, 249, 390, 373, 374, 380, 381, 382, 362, 463, 464, 465, 357, 350, 349, 348, 347, 346, 340,
     446),
)  # fmt: skip
LIDS = (
    (33, 246, 161, 160, 159, 158, 157, 173, 133, 55, 65, 52, 53, 46),
    (263, 466, 388, 387, 386, 385, 384, 398, 362, 285, 295, 282, 283, 276),
)
UPPER_LIP = (129, 98, 97, 2, 326, 327, 358, 291, 409, 270, 269, 267, 0, 37, 39, 40, 185, 61)
CHEEKS = (
    (226, 31, 228, 229, 230, 231, 232, 233, 128, 114, 217, 198, 129, 203, 206, 216, 61, 210, 169,
     136, 172, 58, 132, 93, 234, 127),
    (446, 261, 448, 449, 450, 451, 452, 453, 357, 343, 437, 420, 358, 423, 426, 436, 291, 430, 394,
     365, 397, 288, 361, 323, 454, 356),
)  # fmt: skip
NOSE = (168, 193, 122, 196, 198, 129, 64, 98, 97, 2, 326, 327, 294, 358, 420, 419, 351, 417)
CHIN_RING = (61, 146, 91, 181, 84, 17, 314, 405, 321, 375, 291, 430, 394, 365, 379, 378, 400, 377,
             152, 148, 176, 149, 150, 136, 169, 210)  # fmt: skip
FOREHEAD_LOWER = (127, 156, 70, 63, 105, 66, 107, 9, 336, 296, 334, 293, 300, 383, 356)
# Natural folds, as lines: beside the mouth, and along the jaw.
NASOLABIAL = ((129, 203, 206, 216, 212), (358, 423, 426, 436, 432))
JAW = (234, 93, 132, 58, 172, 136, 150, 149, 176, 148, 152, 377, 400, 378, 379, 365, 397, 288, 361,
       323, 454)  # fmt: skip

EYE_CORNERS = ((33, 133), (263, 362))  # outer, inner
NOSE_TIP, CHIN, FOREHEAD_TOP = 1, 152, 10
MOUTH_CORNERS = (61, 291)
TEMPLES = (127, 356)


def lids(side: int) -> tuple[int, ...]:
    """The ring of an eye's opening: along the lower lid, back along the upper one."""
    first = N_MESH + side * N_EYE
    return (*range(first, first + 9), *range(first + 15, first + 8, -1))


def iris(side: int) -> tuple[int, ...]:
    """The middle of an iris, then four points of its rim."""
    first = N_MESH + side * N_EYE + N_LIDS
    return tuple(range(first, first + N_IRIS))
