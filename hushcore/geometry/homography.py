"""Plane-to-plane maps: 3x3 matrices in pixels, scaled so that the last entry is 1."""

import numpy as np

from hushcore.arrays import F64
from hushcore.errors import HushError


def apply(matrix: F64, points: F64) -> F64:
    """Map points (..., 2) through a 3x3 matrix."""
    x, y = points[..., 0], points[..., 1]
    w = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2]
    u = (matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2]) / w
    v = (matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2]) / w
    return np.stack([u, v], -1)


def fit(source: F64, target: F64) -> F64:
    """Least-squares homography that takes ``source`` (n, 2) to ``target`` (n, 2), n >= 4.

    Source: Hartley & Zisserman, Multiple View Geometry, algorithm 4.2 (normalised DLT).
    Raises HushError when the points do not fix a homography (fewer than four, or on a line).
    """
    if len(source) < 4:
        raise HushError("Four points are needed to place a plane.", "bad-points")
    to_source, to_target = _normaliser(source), _normaliser(target)
    a, b = apply(to_source, source), apply(to_target, target)
    one, zero = np.ones(len(a)), np.zeros((len(a), 3))
    homogeneous = np.column_stack([a, one])
    top = np.hstack([homogeneous, zero, -b[:, :1] * homogeneous])
    bottom = np.hstack([zero, homogeneous, -b[:, 1:] * homogeneous])
    _, values, vectors = np.linalg.svd(np.vstack([top, bottom]))
    if values[-2] < 1e-10 * values[0]:
        raise HushError("These points lie on a line; spread them over the surface.", "bad-points")
    matrix = np.linalg.inv(to_target) @ vectors[-1].reshape(3, 3) @ to_source
    return np.asarray(matrix / matrix[2, 2])


def fit_simple(source: F64, target: F64) -> F64:
    """The plainest map that takes ``source`` (n, 2) to ``target``: a shift for one point, a similarity for two, an
    affine map for three, a homography for four and more (least squares)."""
    if len(source) >= 4:
        return fit(source, target)
    centre, to = source.mean(0), target.mean(0)
    a, b = source - centre, target - to
    if len(source) == 1:
        linear: F64 = np.eye(2)
    elif len(source) == 2:
        linear = _turn_and_scale(a, b)
    else:
        if abs(np.linalg.det(a[1:] - a[0])) < 1e-6:
            raise HushError("These points lie on a line; spread them over the surface.", "bad-points")
        linear = np.linalg.lstsq(a, b, rcond=None)[0].T
    matrix = np.eye(3)
    matrix[:2, :2], matrix[:2, 2] = linear, to - linear @ centre
    return matrix


def _turn_and_scale(a: F64, b: F64) -> F64:
    """The similarity's linear part between centred points (complex least squares)."""
    p, q = a[:, 0] + 1j * a[:, 1], b[:, 0] + 1j * b[:, 1]
    spread = float((np.abs(p) ** 2).sum())
    if spread < 1e-9:
        raise HushError("These points coincide; spread them over the surface.", "bad-points")
    z = (np.conj(p) * q).sum() / spread
    return np.array([[z.real, -z.imag], [z.imag, z.real]])


def _normaliser(points: F64) -> F64:
    """Shift to the centroid, scale to a mean distance of sqrt 2 (algorithm 4.2, step i)."""
    centre = points.mean(0)
    spread = np.hypot(*(points - centre).T).mean()
    if spread < 1e-9:
        raise HushError("These points coincide; spread them over the surface.", "bad-points")
    s = np.sqrt(2) / spread
    return np.array([[s, 0, -s * centre[0]], [0, s, -s * centre[1]], [0, 0, 1]])


def jacobian(matrix: F64, points: F64) -> F64:
    """Derivative (..., 2, 2) of the map at points (..., 2)."""
    x, y = points[..., 0], points[..., 1]
    w = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2]
    at = apply(matrix, points)
    rows = [[(matrix[i, j] - at[..., i] * matrix[2, j]) / w for j in range(2)] for i in range(2)]
    return np.stack([np.stack(row, -1) for row in rows], -2)
