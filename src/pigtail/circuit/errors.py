"""What can go wrong with a deck or its solution: one sentence, with the place and the mend."""

#: What the arithmetic of a step or an elimination that goes astray raises.
FAILURES = (ArithmeticError, ValueError)


class CircuitError(ValueError):
    """A deck that cannot be read or solved; `line` is its line number from 1, or 0 when none applies."""

    def __init__(self, sentence: str, *, line: int = 0, element: str = "", node: str = "") -> None:
        super().__init__(f"line {line}: {sentence}" if line else sentence)
        self.line, self.element, self.node = line, element, node


class DeckError(CircuitError):
    """Deck text that does not follow the subset."""


class MissingModelError(DeckError):
    """An element whose model or subcircuit is not in the deck."""


class ParameterError(CircuitError):
    """A value that its part cannot have; carries the element and the line."""


class FloatingNodeError(CircuitError):
    """A node with no path for direct current to node 0."""


class SourceLoopError(CircuitError):
    """Voltage sources or inductors that form a loop without resistance."""


class UnsolvedError(CircuitError):
    """A system whose solution does not satisfy its own equations."""


class ConvergenceError(UnsolvedError):
    """A circuit whose operating point or time step was not found; names what would not settle."""
