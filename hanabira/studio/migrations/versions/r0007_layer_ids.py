"""Layers get lasting ids; log, photos of the work and dragged order name them instead of places. A limited palette is the commission's own."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

from hanabira.studio.layer_ids import carry_over, numbered

revision = "0007"
down_revision = "0006"

recipe = sa.table("recipe", sa.column("area_id", sa.String), sa.column("layers", sa.Text))
log = sa.table("log", *(sa.column(n, sa.Text) for n in ("id", "step", "role", "pencil", "at")))
shot = sa.table("shot", sa.column("id", sa.String), sa.column("step", sa.String))
commission = sa.table("commission", sa.column("id", sa.String), sa.column("terms", sa.Text), sa.column("tray_only", sa.Boolean))
setting = sa.table("setting", sa.column("key", sa.String), sa.column("value", sa.Text))


def _data(text: object, kind: type) -> Any:
    """Plain data of a column; None for what nobody can read, which stays as it is."""
    try:
        value = json.loads(text)  # type: ignore[arg-type]  # what is no text is told by the error
    except (ValueError, TypeError, RecursionError):
        return None
    return value if isinstance(value, kind) else None


def upgrade() -> None:
    db = op.get_bind()
    op.add_column("commission", sa.Column("tray_only", sa.Boolean, nullable=False, server_default="0"))
    kept = db.execute(sa.select(setting.c.value).where(setting.c.key == "limited")).scalar()
    for key, on in (_data(kept, dict) or {}).items():
        if on is True:
            db.execute(commission.update().where(commission.c.id == key).values(tray_only=True))
    db.execute(setting.delete().where(setting.c.key == "limited"))
    layers = {}
    for area_id, text in db.execute(sa.select(recipe.c.area_id, recipe.c.layers)).all():
        found = _data(text, list)
        if found is not None and all(isinstance(q, dict) for q in found):
            layers[area_id] = numbered(area_id, found)
            db.execute(recipe.update().where(recipe.c.area_id == area_id).values(layers=json.dumps(layers[area_id], ensure_ascii=False)))
    rows = [dict(q) for q in db.execute(sa.select(log).order_by(log.c.at)).mappings()]
    keys = carry_over(layers, rows)
    for row in rows:
        if row["step"] in keys:
            db.execute(log.update().where(log.c.id == row["id"]).values(step=keys[row["step"]]))
    for key, step in db.execute(sa.select(shot.c.id, shot.c.step)).all():
        if step in keys:
            db.execute(shot.update().where(shot.c.id == key).values(step=keys[step]))
    for key, text in db.execute(sa.select(commission.c.id, commission.c.terms)).all():
        terms = _data(text, dict)
        if terms and isinstance(terms.get("moved"), list):
            terms["moved"] = [
                [keys.get(k, k) if isinstance(k, str) else k for k in pair] if isinstance(pair, list) else pair for pair in terms["moved"]
            ]
            db.execute(commission.update().where(commission.c.id == key).values(terms=json.dumps(terms, ensure_ascii=False)))


def downgrade() -> None:
    raise NotImplementedError("ids do not go back into places")
