"""The words on screen and in advice, translatable from the first day.

``tr("Turn {adjuster}", adjuster="T1")`` looks the English text up in a gettext
catalogue and fills in the named parameters. Without a catalogue the English
text is used as it stands.
"""

from __future__ import annotations

import gettext

_catalogue: gettext.NullTranslations = gettext.NullTranslations()


def use_language(folder: str, language: str) -> None:
    """Take the catalogue ``unitone`` for ``language`` from a gettext locale ``folder`` (English where there is none)."""
    global _catalogue  # noqa: PLW0603  the one switch of language in the program
    _catalogue = gettext.translation("unitone", folder, languages=[language], fallback=True)


def tr(text: str, /, **parameters: object) -> str:
    """Translate ``text`` and fill its named parameters. Raises KeyError where one is missing."""
    translated = _catalogue.gettext(text)
    return translated.format(**parameters) if parameters else translated
