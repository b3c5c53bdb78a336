"""Temporary folders, which have the list and its values: private to the user, and removed at the latest by the next run."""

import atexit
import os
import shutil
import socket
import tempfile

# Containers can share a folder: processes of one number on two machines are different.
PREFIX = f"keen-notch-{socket.gethostname()}-"


def temporary():
    """A folder for the time of a ``with``. Its name tells the machine and the process, so the next run finds the folders of killed processes."""
    tidy()
    return tempfile.TemporaryDirectory(prefix=f"{PREFIX}{os.getpid()}-")


def lasting():
    """A folder until this process ends."""
    tidy()
    folder = tempfile.mkdtemp(prefix=f"{PREFIX}{os.getpid()}-")
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


def tidy():
    """Removes this user's folders of ended processes on this machine."""
    place = tempfile.gettempdir()
    for name in os.listdir(place):
        process = name[len(PREFIX) :].split("-")[0] if name.startswith(PREFIX) else ""
        if not process.isdigit() or _runs(int(process)):
            continue
        folder = os.path.join(place, name)
        try:
            if os.lstat(folder).st_uid == os.getuid():
                shutil.rmtree(folder, ignore_errors=True)
        except OSError:
            # Another process has removed it.
            continue


def _runs(process):
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True
