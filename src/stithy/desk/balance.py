"""The balance sheet: mass and energy in and out, per opening, wall and component."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QWidget

from .session import Session
from .tables import fill, plain_table


def balance_rows(summary: dict) -> tuple[list[list[str]], list[list[str]]]:
    """(heat rows, flow rows) of a result's summary, as text."""
    heat = [[n, f"{p['power']:.2f}", ""] for n, p in summary["parts"].items() if p["power"]]
    other = summary["heat_load"] - sum(p["power"] for p in summary["parts"].values())
    if abs(other) > 1e-9:
        heat.append(["given by walls", f"{other:.2f}", ""])
    heat += [[n, "", f"{e['heat_out']:.2f}"] for n, e in summary["ends"].items()]
    heat += [[n, "", f"{q:.2f}"] for n, q in summary["walls"].items()]
    radiation = summary.get("radiation") or {}
    heat += [[f"{n}, radiated", "", f"{q:.2f}"] for n, q in radiation.get("ends", {}).items()]
    sun = sum(x["sun"] for x in radiation.get("surfaces", {}).values())
    if sun:
        heat.append(["sunshine inside", f"{sun:.2f}", ""])
    if summary.get("stored"):
        heat.append(["stored", "", f"{summary['stored']:.2f}"])
    heat.append(["left over", "", f"{summary['heat_imbalance']:.1e}"])
    flow = [
        [
            n,
            f"{e['volume_flow'] * 3600:.2f}",
            f"{e['inflow'] * 3600:.2f}",
            f"{e['mass_flow'] * 1e3:.3f}",
            f"{e['temperature'] - 273.15:.1f}",
            f"{e['pressure']:.2f}",
        ]
        for n, e in summary["ends"].items()
    ]
    flow += [
        [n, f"{f['volume_flow'] * 3600:.2f}", "", "", "", f"{f['rise']:.2f} rise"]
        for n, f in summary["fans"].items()
        if n not in summary["ends"]
    ]
    flow.append(["left over", "", "", f"{sum(e['mass_flow'] for e in summary['ends'].values()) * 1e3:.1e}", "", ""])
    return heat, flow


class BalanceSheet(QWidget):
    """Two tables beside each other."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.heat, self.flow = plain_table(), plain_table()
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 12, 6)
        row.setSpacing(24)
        for table in (self.flow, self.heat):
            table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            row.addWidget(table, 1)
        for event in ("stage", "results", "layout", "document"):
            session.on(event, self.rebuild)

    def rebuild(self):
        """Fill the tables anew, when they can be seen."""
        if self.session.stage != "Read":
            return
        summary = self.session.standing().summary
        heat, flow = balance_rows(summary) if summary else ([], [])
        fill(
            self.flow,
            ("Openings and fans", "net in m³/h", "gross in", "net in g/s", "crosses at °C", "inside Pa"),
            flow,
        )
        fill(self.heat, ("Heat", "released W", "leaves W"), heat)
