"""Cut lists as they travel with a job: their texts, and the files with values that they name."""

import hashlib
import os

from .errors import CutListError
from .folders import temporary


# The folder of files that the lists name by absolute paths.
OUTSIDE = "outside"


class Shipped:
    """Cut lists and their files, in memory.

    cut_lists: a path or a text, or several of them. What has a line end, or no file of its name and a ``=``, is a text.
    """

    def __init__(self, cut_lists, allow_outside):
        several = [cut_lists] if isinstance(cut_lists, (str, os.PathLike)) else list(cut_lists)
        if not several:
            raise CutListError("no cut list is given: name one, or give its text")
        self.lists = [_List(os.fspath(one)) for one in several]
        self.allow_outside = allow_outside
        # The files, by their paths below the folder of a task.
        self.files = {}
        # A list lies below this many folders, because it can name files above its own folder.
        self.depth = 0

    def on_the_driver(self, ask):
        """Calls a function with the paths of the lists on this machine."""
        with temporary() as folder:
            paths = []
            for number, one in enumerate(self.lists):
                path = one.path
                if path is None:
                    path = os.path.join(folder, f"{number}.cutlist.toml")
                    with open(path, "wb") as file:
                        file.write(one.text)
                paths.append(path)
            return ask(paths)

    def take(self, names):
        """Takes the files that the lists name, as they name them: below the folder of a list, or of the driver."""
        for name in names:
            if os.path.isabs(name):
                # The program has refused it unless it may be outside.
                with open(name, "rb") as file:
                    self.files[os.path.join(OUTSIDE, *name.split(os.sep))] = file.read()
                continue
            self.depth = max(self.depth, os.path.normpath(name).split(os.sep).count(os.pardir))
        for name in filter(lambda name: not os.path.isabs(name), names):
            for number, one in enumerate(self.lists):
                source = os.path.join(one.folder, name)
                if os.path.isfile(source):
                    with open(source, "rb") as file:
                        self.files[os.path.join(self._place(number), name)] = file.read()

    def size(self):
        """The bytes of the files."""
        return sum(map(len, self.files.values()))

    def name(self):
        """A name for the content: the same for the same lists and files."""
        digest = hashlib.sha256()
        for path, content in sorted(self._all().items()):
            digest.update(f"{path}\0{len(content)}\0".encode())
            digest.update(content)
        return digest.hexdigest()

    def _all(self):
        return {**self._lists(), **self.files}

    def _lists(self):
        return {os.path.join(self._place(number), one.name): one.text for number, one in enumerate(self.lists)}

    def _place(self, number):
        return os.path.join(f"list-{number}", *["list"] * self.depth)

    def put(self, folder):
        """Writes all into a folder; gives the paths of the lists there."""
        for name, content in self._all().items():
            path = os.path.normpath(os.path.join(folder, name))
            os.makedirs(os.path.dirname(path), exist_ok=True)
            with open(path, "wb") as file:
                file.write(content)
        return [os.path.join(folder, name) for name in self._lists()]


class _List:
    def __init__(self, given):
        self.path, self.name, self.folder = None, "list.cutlist.toml", os.getcwd()
        if "\n" in given or ("=" in given and not os.path.exists(given)):
            self.text = given.encode()
            return
        self.path = os.path.abspath(given)
        self.name, self.folder = os.path.basename(self.path), os.path.dirname(self.path)
        try:
            with open(self.path, "rb") as file:
                self.text = file.read()
        except OSError as error:
            raise CutListError(f"{given} cannot be read: {error.strerror}") from error
