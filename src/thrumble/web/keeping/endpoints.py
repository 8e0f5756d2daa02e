"""Which takes keep their sound: shown before it is done."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import HTMLResponse

from thrumble.actions.storage import apply_rule
from thrumble.core.counting import counted
from thrumble.core.errors import BadInput
from thrumble.core.storage_rule import KeepingRule
from thrumble.store.takes import storage
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.inputs import Line, whole_number
from thrumble.web.keeping.views import keeping_view
from thrumble.web.templating import render

router = APIRouter()
Number = Annotated[Line, Form(max_length=20)]


@router.get("/keeping", name="keeping_page")
def keeping_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """The rule as it is, and what it would let go now."""
    rule = storage.rule_of(session, player_id)
    view = keeping_view(session, player_id, rule)
    return render(request, "keeping/page.html", rule=rule, view=view, done="")


def typed_rule(
    tidy: Number = "", last: Number = "", days: Number = "", limit: Number = ""
) -> KeepingRule:
    """The rule as typed; what is left empty is as usual. Raises BadInput."""
    try:
        limit_gb = float(limit.replace(",", ".")) if limit else None
    except ValueError:
        raise BadInput(f"the limit is a number of GB, or left empty; found {limit!r}") from None
    usual = KeepingRule()
    counts = [whole_number(last, "the last takes"), whole_number(days, "the last days")]
    return KeepingRule(
        tidy=tidy == "yes",
        last=usual.last if counts[0] is None else counts[0],
        days=usual.days if counts[1] is None else counts[1],
        limit_gb=limit_gb,
    ).checked()


Typed = Annotated[KeepingRule, Depends(typed_rule)]


@router.post("/keeping/preview", name="preview_keeping")
def preview_keeping(
    request: Request, session: DbSession, player_id: PlayerId, rule: Typed
) -> HTMLResponse:
    """Shows what another rule would delete; nothing is deleted."""
    view = keeping_view(session, player_id, rule)
    return render(request, "keeping/_preview.html", view=view, done="")


@router.post("/keeping", name="keep_rule")
def keep_rule(
    request: Request, session: DbSession, player_id: PlayerId, rule: Typed
) -> HTMLResponse:
    """Keeps the rule and follows it at once; from then on it is followed every hour."""
    storage.keep_rule(session, player_id, rule)
    gone = apply_rule(session, player_id)
    done = f"Saved. The audio of {counted(gone, 'take')} is deleted." if gone else "Saved."
    view = keeping_view(session, player_id, rule)
    return render(request, "keeping/_preview.html", view=view, done=done)
