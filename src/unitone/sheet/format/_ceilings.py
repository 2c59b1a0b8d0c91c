"""What may not be gone over: the ratings of the final, and the rule's ceilings on what is radiated."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.quantities.registry import QUANTITIES
from unitone.quantities.show import show
from unitone.sheet.format import keys as form
from unitone.sheet.format.lines import Place
from unitone.sheet.model.limits import value_of
from unitone.sheet.model.sheet import Final, Limit, Rule, Step, Supply
from unitone.words import replace_untranslated, tr

Complain = Callable[[Place, str], None]


def final(complain: Complain, part: form.FinalPart) -> Final:
    """The final's ratings in canonical units."""
    dissipation = None
    if part.dissipation is not None:
        try:
            dissipation = parse_si(part.dissipation, "W")
        except EntryError as error:
            complain(("final", "dissipation"), str(error))
    return Final(part.device, dissipation, _most(complain, ("final", "most"), part.most))


def rule(complain: Complain, part: form.CeilingPart) -> Rule:
    """The rule's ceilings in canonical units."""
    if part.most and not part.rule.strip():
        complain(("ceiling", "rule"), tr("is missing. Name the rule that the ceilings are from."))
    return Rule(part.rule, _most(complain, ("ceiling", "most"), part.most))


def _most(complain: Complain, place: Place, given: dict[str, str]) -> tuple[tuple[str, float], ...]:
    found = []
    for name, text in given.items():
        q = QUANTITIES.get(name)
        if q is None or q.way != "transmit":
            sent = ", ".join(x.id for x in QUANTITIES.values() if x.way == "transmit")
            complain((*place, name), tr("{name!r} is nothing that is sent. Use one of: {sent}.", name=name, sent=sent))
            continue
        try:
            found.append((name, value_of(text, q)))
        except EntryError as error:
            complain((*place, name), str(error))
    return tuple(found)


def above_ceiling(complain: Complain, ids: Sequence[str], steps: Sequence[Step], of_rule: Rule) -> None:
    """Say where a step asks for more than the rule allows at all."""
    for step in steps:
        most = of_rule.ceiling(step.quantity_id)
        if most is not None and step.limit.low is not None and step.limit.low > most:
            complain(
                ("step", ids.index(step.id), "limit"),
                tr(
                    "its minimum is {show}, and {name} allows {show2}. Correct the limit or the ceiling.",
                    show=show(step.quantity, step.limit.low),
                    name=of_rule.name,
                    show2=show(step.quantity, most),
                ),
            )


def capped(step: Step, of_rule: Rule) -> Step:
    """The step with the rule's ceiling for its quantity as the upper end where its own lies above, or is open."""
    most = of_rule.ceiling(step.quantity_id)
    high = step.limit.high
    if most is None or (high is not None and high <= most):
        return step
    low, nominal = step.limit.low, step.limit.nominal
    limit = Limit(low, most, None if nominal is not None and nominal > most else nominal)
    target = step.target if step.target is None or step.target <= most else None
    return replace_untranslated(step, limit=limit, target=target)


def overheated(complain: Complain, steps: Sequence[Step], fed: Supply, of_final: Final) -> None:
    """Say where supply, power and the final's rating contradict each other: a radio that is right would burn its final."""
    carriers = [s.limit.high for s in steps if s.quantity_id == "tx.power" and s.limit.high is not None]
    if fed.volts is None or fed.keyed_a is None or of_final.dissipation_w is None or not carriers:
        return
    taken, sent = fed.volts * max(fed.keyed_a - (fed.rest_a or 0.0), 0.0), max(carriers)
    if taken - sent > of_final.dissipation_w:
        complain(
            ("final", "dissipation"),
            tr(
                "{volts:g} V and {keyed_a:g} A keyed make {taken:.1f} W. With {sent:.1f} W out, {x:.1f} W stay as heat. "
                "The final is rated {dissipation_w:g} W. One of these figures is a slip.",
                volts=fed.volts,
                keyed_a=fed.keyed_a,
                taken=taken,
                sent=sent,
                x=taken - sent,
                dissipation_w=of_final.dissipation_w,
            ),
        )
