"""Pen pressure has a curve for each of radius, strength and hardness, where one had served all."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"

NAMES = ("pressure_radius_curve", "pressure_strength_curve", "pressure_hardness_curve")


def upgrade() -> None:
    _change_tips(_apart)


def downgrade() -> None:
    _change_tips(_together)


def _apart(tip: dict[str, Any]) -> None:
    if "pressure_least" in tip or "pressure_gamma" in tip:
        curve = {"least": tip.pop("pressure_least", 0.1), "gamma": tip.pop("pressure_gamma", 1.0)}
        tip.update(dict.fromkeys(NAMES, curve))


def _together(tip: dict[str, Any]) -> None:
    curves = [tip.pop(name, None) for name in NAMES]
    if curves[0]:
        tip.update(pressure_least=curves[0]["least"], pressure_gamma=curves[0]["gamma"])


def _change_tips(change: Any) -> None:
    """In strokes of the history, on desks and in presets."""
    connection = op.get_bind()
    strokes = connection.execute(
        sa.text("select project, place, command from step where command #> '{stroke,tip}' is not null")
    )
    for project, place, command in strokes.fetchall():
        change(command["stroke"]["tip"])
        connection.execute(
            sa.text("update step set command = cast(:command as jsonb) where project = :project and place = :place"),
            {"command": json.dumps(command), "project": project, "place": place},
        )
    for project, desk in connection.execute(sa.text("select id, desk from project where desk ? 'tip'")).fetchall():
        change(desk["tip"])
        connection.execute(
            sa.text("update project set desk = cast(:desk as jsonb) where id = :project"),
            {"desk": json.dumps(desk), "project": project},
        )
    for name, content in connection.execute(sa.text("select name, content from shelf")).fetchall():
        for preset in content:
            if isinstance(preset, dict) and isinstance(preset.get("tip"), dict):
                change(preset["tip"])
        connection.execute(
            sa.text("update shelf set content = cast(:content as jsonb) where name = :name"),
            {"content": json.dumps(content), "name": name},
        )
