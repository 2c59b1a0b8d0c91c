"""The look's tokens, day and night, and the contrast that they owe the reader. No Qt in here."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Tokens:
    """Roles, not colours: what stands on paper, what is quiet, where the hand goes next."""

    name: str
    paper: str
    card: str
    well: str
    ink: str
    quiet: str
    line: str
    rail: str
    rail_text: str
    rail_now: str
    rail_orange: str
    teal: str
    teal_soft: str
    orange: str
    orange_text: str
    orange_soft: str
    on_orange: str
    in_spec: str
    holds_soft: str
    out_of_spec: str
    out_of_spec_soft: str
    recheck: str
    recheck_soft: str
    board_edge: str
    board: str
    part: str


DAY = Tokens(
    "day", "#EFEBE2", "#FBF9F4", "#F3EFE6", "#1D2B33", "#56626A", "#D5CEC0", "#22343D", "#DCE5E8", "#35505C", "#E0963F", "#0E6670", "#D3E6E4",
    "#B8620F", "#8F4A08", "#F6E3CB", "#FFFFFF", "#2F6E37", "#DCEBD9", "#A8322A", "#F4D9D4", "#5A4B86", "#E4DFF0",
    "#D8D0B8", "#B9AE8C", "#857C60",
)  # fmt: skip
NIGHT = Tokens(
    "night", "#1A2226", "#232D32", "#1F282D", "#E4DFD3", "#A3AEB2", "#3B474D", "#12191C", "#C9D3D6", "#2E3F47", "#E0963F", "#6FB9BD", "#21423F",
    "#D98A3A", "#E8A868", "#43321F", "#1A1408", "#84BE88", "#24382A", "#E58B80", "#452826", "#B7A8E0", "#332D47",
    "#3A382C", "#544F3C", "#8C846A",
)  # fmt: skip
THEMES = {"day": DAY, "night": NIGHT}

#: (text role, ground role, least ratio): what WCAG 2.1 AA asks (4.5 small text, 3 large text and marks).
PAIRS: tuple[tuple[str, str, float], ...] = (
    ("ink", "paper", 4.5), ("ink", "card", 4.5), ("quiet", "card", 4.5), ("quiet", "paper", 4.5), ("ink", "teal_soft", 4.5),
    ("teal", "teal_soft", 4.5), ("teal", "card", 4.5), ("ink", "orange_soft", 4.5), ("orange_text", "card", 4.5),
    ("orange_text", "orange_soft", 4.5), ("quiet", "orange_soft", 4.5), ("on_orange", "orange", 4.0), ("in_spec", "card", 4.5),
    ("out_of_spec", "card", 4.5), ("out_of_spec", "out_of_spec_soft", 4.5), ("recheck", "card", 4.5),
    ("rail_text", "rail", 4.5), ("rail_text", "rail_now", 4.5),
    ("orange", "card", 3.0), ("rail_orange", "rail", 4.5), ("ink", "well", 4.5), ("quiet", "well", 4.5), ("ink", "board", 4.5),
)  # fmt: skip


def luminance(colour: str) -> float:
    """Relative luminance of ``#RRGGBB`` (WCAG 2.1)."""
    channels = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(first: str, second: str) -> float:
    """Contrast ratio of two colours, 1 to 21 (WCAG 2.1)."""
    a, b = sorted((luminance(first), luminance(second)), reverse=True)
    return (a + 0.05) / (b + 0.05)
