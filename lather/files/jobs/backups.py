"""Earlier versions of a job file, kept beside it: NAME.backup1.lather is the latest."""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from pathlib import Path


def backup_path(path: Path, number: int) -> Path:
    return path.with_name(f"{path.stem}.backup{number}{path.suffix}")


def backups_of(path: Path) -> list[Path]:
    """The backups there are, latest first."""
    number, found = 1, []
    while (backup := backup_path(path, number)).is_file():
        found.append(backup)
        number += 1
    return found


def keep_backup(path: Path, most: int) -> None:
    """Make the present file the first backup and drop the one too many.

    The present file stays where it is: there is no moment without it. A folder that allows
    no backups does not keep the job from being saved.
    """
    if most < 1 or not path.is_file():
        return
    with suppress(OSError):
        for number in range(most - 1, 0, -1):
            older = backup_path(path, number)
            if older.is_file():
                older.replace(backup_path(path, number + 1))
        first = backup_path(path, 1)
        first.unlink(missing_ok=True)
        try:
            os.link(path, first)
        except OSError:  # a file system without hard links
            shutil.copy2(path, first)
