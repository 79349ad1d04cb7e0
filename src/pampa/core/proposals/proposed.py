"""What the check-up proposes for Mend, as amounts."""

from dataclasses import fields, replace

from pampa.core.mend.amounts import Amounts
from pampa.core.proposals.findings import Finding

NAMES = {field.name for field in fields(Amounts)}


def proposed(found: list[Finding], amounts: Amounts | None = None) -> Amounts:
    """The amounts that the findings propose, none less than those given."""
    amounts = amounts or Amounts()
    for finding in found:
        if finding.process not in NAMES or finding.amount is None:
            continue
        now = getattr(amounts, finding.process)
        amount = True if isinstance(now, bool) else max(now, float(finding.amount))
        amounts = replace(amounts, **{finding.process: amount})  # type: ignore[arg-type]
    return amounts
