"""What a shared machine gives to others while something is timed."""


class Host:
    """How much of the machine's time the host gives to others, since this was made."""

    def __init__(self) -> None:
        self._began = self._read()

    def taken_share(self) -> float:
        passed = [now - before for now, before in zip(self._read(), self._began, strict=True)]
        return passed[7] / max(1, sum(passed))

    def _read(self) -> list[int]:
        with open("/proc/stat") as file:
            return [int(value) for value in file.readline().split()[1:]]
