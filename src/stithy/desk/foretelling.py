"""Estimates of a session's layouts: asked for beside the window whenever the model changes, kept by model."""

from __future__ import annotations

from ..errors import StithyError
from ..estimate.estimate import Estimate
from ..estimate.serve import Estimator
from ..weigh.compare import Standing
from ..weigh.foretold import foretold

#: estimates that are kept
MOST = 60


class Foretelling:
    """Estimates by layout; the session tells "estimates" when some have come."""

    def __init__(self, session):
        self.session = session
        self.estimator = Estimator()
        #: whether estimates are made at all
        self.on = True
        self.known: dict[str, Estimate | str] = {}

    def of(self, standing: Standing) -> Estimate | None:
        """The estimate of a layout as it stands, or None where there is none (yet)."""
        found = self.known.get(self._key(standing))
        return found if isinstance(found, Estimate) else None

    def reason(self, standing: Standing) -> str:
        """Why a layout has no estimate; "" where it has one or one is under way."""
        found = self.known.get(self._key(standing))
        return found if isinstance(found, str) else ""

    def values(self, standing: Standing) -> dict[str, tuple[float, float]]:
        """Value and half band (SI) by watch."""
        found = self.of(standing)
        return {} if found is None else foretold(found, standing.watches)

    @staticmethod
    def _key(standing: Standing) -> str:
        return standing.model.key() if standing.model is not None and not standing.problems else ""

    def ask(self) -> None:
        """Ask for what is not known yet: the shown layout first, then the others without a current result."""
        session, models = self.session, {}
        shown = session.standing()
        others = [session.peek(x.name) for x in session.document.layouts if x.name != session.layout]
        for s in (shown, *others):
            key = self._key(s)
            if key and key not in self.known and key not in models:
                models[key] = s.model
        if models and set(models) != self.estimator.waiting:
            try:
                self.estimator.ask(models)
            except (OSError, StithyError):  # without estimates all else goes on
                return

    def poll(self) -> bool:
        """Take in what has come; True where something has."""
        came = self.estimator.answers()
        for key, found in came:
            self.known[key] = found
        while len(self.known) > MOST:
            del self.known[next(iter(self.known))]
        if came:
            self.session.tell("estimates")
        return bool(came)

    def shut(self) -> None:
        """End it."""
        self.estimator.shut()
