"""What commands say: results on stdout, errors and progress on stderr."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from rich.console import Console
from rich.progress import Progress as ProgressBar

errors = Console(stderr=True, highlight=False, soft_wrap=True)


@contextmanager
def progress_bar(title: str) -> Iterator[Callable[[float], None]]:
    """A bar on a terminal, nothing elsewhere."""
    with ProgressBar(console=errors, disable=not errors.is_terminal, transient=True) as bar:
        task = bar.add_task(title, total=1.0)
        yield lambda share: bar.update(task, completed=share)
