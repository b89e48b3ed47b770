"""What can be asked of the catalogue that it does not hold."""

from pigtail.language import tr


class CatalogueError(KeyError):
    """A topology, module or host kind that the catalogue does not hold; carries its key."""

    def __init__(self, what: str, key: str, known: list[str]) -> None:
        super().__init__(key)
        self.sentence = tr(
            "the catalogue has no {what} called “{key}”; choose one of {listed}",
            what=what,
            key=key,
            listed=", ".join(known),
        )
        self.key = key

    def __str__(self) -> str:
        return self.sentence
