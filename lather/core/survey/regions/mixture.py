"""Mixtures of Gaussians: what the pixels of one kind look like on this very picture.

Source: Dempster, Laird, Rubin 1977, "Maximum Likelihood from Incomplete Data via the EM Algorithm".
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]  # (N, D)
Columns = NDArray[np.float64]  # a column a sample: sums over the short axis are far quicker so

MOST_SAMPLES = 2000
SAMPLES_A_PART = 40  # at least, for each Gaussian
N_MEANS, N_STEPS, N_STEPS_ON = 6, 8, 3  # of Lloyd's algorithm, of EM, of EM from a start
_SEED = 7  # the same picture gives the same mixture


@dataclass(frozen=True)
class Mixture:
    """Gaussians with weights: shares (K,), means (K, D), whitening (K, D, D) matrices."""

    shares: NDArray[np.float64]
    means: NDArray[np.float64]
    whitening: NDArray[np.float64]

    def log_density(self, samples: Samples) -> NDArray[np.float32]:
        """(N,) natural logarithm of the density."""
        columns = np.ascontiguousarray(samples.T)
        return np.asarray(_log_sum(_log_parts(self, columns)), dtype=np.float32)


def fit(
    samples: Samples, n_parts: int, least_variance: Samples, start: Mixture | None = None
) -> Mixture:
    """A mixture of up to `n_parts` Gaussians.

    Parameters
    ----------
    samples : (N, D), N > 0; a part of them is looked at if they are many.
    least_variance : (D,) added to every Gaussian's.
    start : a mixture of samples that were nearly the same: a few steps from it are enough.
    """
    rng = np.random.default_rng(_SEED)
    if len(samples) > MOST_SAMPLES:
        samples = samples[rng.choice(len(samples), MOST_SAMPLES, replace=False)]
    x = np.ascontiguousarray(samples.T, dtype=np.float64)
    k = max(1, min(n_parts, x.shape[1] // SAMPLES_A_PART))
    if start is not None and len(start.shares) == k:
        mixture, n_steps = start, N_STEPS_ON
    else:
        belongs = np.eye(k)[:, _by_means(x, k, rng)]
        mixture, n_steps = _from(x, belongs, least_variance), N_STEPS if k > 1 else 0
    for _ in range(n_steps):
        parts = _log_parts(mixture, x)
        mixture = _from(x, np.exp(parts - _log_sum(parts)), least_variance)
    return mixture


def _by_means(x: Columns, k: int, rng: np.random.Generator) -> NDArray[np.int64]:
    """Each sample's nearest of k means: Lloyd's algorithm."""
    scaled = x / (x.std(1, keepdims=True) + 1e-6)
    means = scaled[:, rng.choice(x.shape[1], k, replace=False)]
    nearest = np.zeros(x.shape[1], dtype=np.int64)
    for _ in range(N_MEANS):
        # The samples' own squares are the same for every mean.
        nearest = ((means**2).sum(0)[:, None] - 2 * means.T @ scaled).argmin(0)
        for n in np.unique(nearest):
            means[:, n] = scaled[:, nearest == n].mean(1)
    return nearest


def _from(x: Columns, belongs: Columns, least_variance: Samples) -> Mixture:
    """The mixture of samples (D, N) that belong to its parts by those shares, (K, N)."""
    weight = belongs.sum(1) + 1e-9
    means = belongs @ x.T / weight[:, None]
    whitening = np.empty((len(weight), len(x), len(x)))
    for n, mean in enumerate(means):
        off = x - mean[:, None]
        covariance = (belongs[n] * off) @ off.T / weight[n] + np.diag(least_variance)
        whitening[n] = np.linalg.cholesky(np.linalg.inv(covariance)).T
    return Mixture(weight / weight.sum(), means, whitening)


def _log_parts(mixture: Mixture, x: NDArray[Any]) -> NDArray[Any]:
    """(K, N) logarithm of each Gaussian's density times its share, in the dtype of x, (D, N)."""
    parts = np.empty((len(mixture.shares), x.shape[1]), dtype=x.dtype)
    constant = -0.5 * len(x) * math.log(2 * math.pi)
    for n, share in enumerate(mixture.shares):
        whitening = mixture.whitening[n].astype(x.dtype)
        white = whitening @ x - (whitening @ mixture.means[n].astype(x.dtype))[:, None]
        level = constant + math.log(share) + np.log(np.diag(mixture.whitening[n])).sum()
        np.square(white, out=white)
        parts[n] = x.dtype.type(level) - x.dtype.type(0.5) * white.sum(0)
    return parts


def _log_sum(parts: NDArray[Any]) -> NDArray[Any]:
    """The logarithm of the sum over the first axis, without overflow."""
    top = parts.max(0)
    total: NDArray[Any] = top + np.log(np.exp(parts - top).sum(0))
    return total
