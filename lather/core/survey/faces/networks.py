"""The small networks that ship with Lather, run by OpenCV.

They come from the MediaPipe project under the Apache License 2.0; `assets/models/README.md` names
the sources. A file is read from the package only, and only if its SHA-256 is the one written here.
"""

from __future__ import annotations

import hashlib
import threading
from enum import Enum
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.errors import ModelError
from lather.paths import ASSETS

MODELS = ASSETS / "models"
Output = NDArray[np.float32]


class Network(Enum):
    """A network: file name, side of its square input in px, least value of that input, SHA-256."""

    DETECTOR = ("face_detection_short_range.tflite", 128, -1.0,
                "bbff11cebd1eb27a1e004cae0b0e63ec8c551cbf34a4451148b4908b8db3eca8")
    MESH = ("face_landmark.tflite", 192, 0.0,
            "1055cb9d4a9ca8b8c688902a3a5194311138ba256bcc94e336d8373a5f30c814")
    EYE = ("iris_landmark.tflite", 64, 0.0,
           "d1744d2a09c25f501d39eba4faff47e53ecca8852c5ce19bce8eeac39357521f")
    PERSON = ("selfie_segmentation.tflite", 256, 0.0,
              "9ee168ec7c8f2a16c56fe8e1cfbc514974cbbb7e434051b455635f1bd1462f5c")  # fmt: skip

    @property
    def file_name(self) -> str:
        return self.value[0]

    @property
    def side_px(self) -> int:
        return self.value[1]

    @property
    def least(self) -> float:
        return self.value[2]

    @property
    def sha256(self) -> str:
        return self.value[3]


class Runner:
    """Loads networks when they are first asked for; any thread may run them.

    Parameters
    ----------
    folder : where the files lie.
    """

    def __init__(self, folder: Path = MODELS) -> None:
        self._folder = folder
        self._lock = threading.Lock()  # a loaded network holds the picture it works on
        self._loaded: dict[Network, Any] = {}

    def run(self, network: Network, rgb: FloatImage) -> dict[int, Output]:
        """The network's outputs, flat, by their number of values.

        Parameters
        ----------
        rgb : (side, side, 3) float32 0-1.

        Raises
        ------
        ModelError : its file is missing, or not the one that ships.
        """
        least = network.least
        blob = np.ascontiguousarray(rgb.transpose(2, 0, 1)[None], dtype=np.float32)
        blob = blob * np.float32(1 - least) + np.float32(least)
        with self._lock:
            net = self._loaded.get(network)
            if net is None:
                net = self._loaded[network] = self._load(network)
            net.setInput(blob)
            outputs = net.forward(net.getUnconnectedOutLayersNames())
            return {output.size: output.reshape(-1).copy() for output in outputs}

    def _load(self, network: Network) -> Any:
        path = self._folder / network.file_name
        what = f"{network.file_name} was not used"
        try:
            data = path.read_bytes()
        except OSError as error:
            raise ModelError(what, "the file is missing from Lather's own folder",
                             "install Lather again") from error  # fmt: skip
        if hashlib.sha256(data).hexdigest() != network.sha256:
            raise ModelError(what, "its checksum is not that of the file that ships with Lather",
                             "install Lather again")  # fmt: skip
        try:
            return cv2.dnn.readNetFromTFLite(np.frombuffer(data, dtype=np.uint8))
        except cv2.error as error:
            raise ModelError(what, "this OpenCV cannot read it", "update OpenCV") from error


SHIPPED = Runner()


def sigmoid(logit: Output) -> Output:
    """Logits as 0-1."""
    shares: Output = (1 / (1 + np.exp(-np.clip(logit, -50, 50)))).astype(np.float32)
    return shares
