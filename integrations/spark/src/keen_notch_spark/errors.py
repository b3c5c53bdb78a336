"""What can go wrong."""


class CutListError(ValueError):
    """The cut list, or what is asked of it, cannot be right. Raised on the driver, before a task starts."""


class WorkerError(RuntimeError):
    """The program cannot be run, or did not do what it was told; with its last words."""
