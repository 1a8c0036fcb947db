"""Reference pictures that are pinned in a project."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "reference",
        sa.Column("project", sa.String(12), sa.ForeignKey("project.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("name", sa.String(120), primary_key=True),
        sa.Column("pinned", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.execute("alter table reference alter column data set storage external")


def downgrade() -> None:
    op.drop_table("reference")
