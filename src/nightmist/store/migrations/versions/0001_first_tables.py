"""Projects, tiles, where they lie, and history."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "project",
        sa.Column("id", sa.String(12), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("changed", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("picture", sa.LargeBinary),
        sa.Column("state", JSONB, nullable=False),
        sa.Column("desk", JSONB, server_default="{}", nullable=False),
        sa.Column("cursor", sa.Integer, server_default="0", nullable=False),
        sa.Column("revision", sa.Integer, server_default="0", nullable=False),
    )
    owner = sa.ForeignKey("project.id", ondelete="CASCADE")
    op.create_table(
        "tile",
        sa.Column("project", sa.String(12), owner, primary_key=True),
        sa.Column("digest", sa.String(32), primary_key=True),
        sa.Column("channels", sa.SmallInteger, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "model_array",
        sa.Column("project", sa.String(12), sa.ForeignKey("project.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("digest", sa.String(32), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    # Both come compressed: PostgreSQL should store them as they are.
    op.execute("alter table tile alter column data set storage external")
    op.execute("alter table model_array alter column data set storage external")
    op.create_table(
        "placed",
        sa.Column("project", sa.String(12), sa.ForeignKey("project.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("layer", sa.String(12), primary_key=True),
        sa.Column("map", sa.String(12), primary_key=True),
        sa.Column("row", sa.SmallInteger, primary_key=True),
        sa.Column("column", sa.SmallInteger, primary_key=True),
        sa.Column("digest", sa.String(32), nullable=False),
    )
    op.create_table(
        "shelf",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("content", JSONB, nullable=False),
    )
    op.create_table(
        "step",
        sa.Column("project", sa.String(12), sa.ForeignKey("project.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("place", sa.Integer, primary_key=True),
        sa.Column("command", JSONB, nullable=False),
    )


def downgrade() -> None:
    for table in ("step", "shelf", "placed", "model_array", "tile", "project"):
        op.drop_table(table)
