"""A cut list as it travels with a job: its text, and the files with values that it names."""

import os

from .errors import CutListError


class Shipped:
    """A cut list and what it names, in memory."""

    def __init__(self, path, allow_outside):
        self.path = os.path.abspath(path)
        self.name = os.path.basename(self.path)
        self.allow_outside = allow_outside
        self.files = {}
        # Folders that the list is put below, so that what it names above its own has a place too.
        self.depth = 0
        try:
            with open(self.path, "rb") as file:
                self.text = file.read()
        except OSError as error:
            raise CutListError(f"{path} cannot be read: {error.strerror}") from error


    def take(self, names):
        """Takes the files that the list names, as it names them."""
        for name in names:
            if os.path.isabs(name):
                raise CutListError(f"the cut list names {name} by a path that other machines may not have: name it from the list on")
            with open(os.path.join(os.path.dirname(self.path), name), "rb") as file:
                self.files[name] = file.read()
            self.depth = max(self.depth, os.path.normpath(name).split(os.sep).count(os.pardir))

    def put(self, folder):
        """Writes all into a folder; gives the path of the list there."""
        place = os.path.join(folder, *["list"] * (self.depth + 1))
        os.makedirs(place)
        for name, content in {self.name: self.text, **self.files}.items():
            path = os.path.normpath(os.path.join(place, name))
            os.makedirs(os.path.dirname(path), exist_ok=True)
            with open(path, "wb") as file:
                file.write(content)
        return os.path.join(place, self.name)
