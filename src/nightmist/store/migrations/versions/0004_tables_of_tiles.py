"""Arrays may be tables of tiles; what they name must not be swept away."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("model_array", sa.Column("tiles", sa.LargeBinary))
    op.execute("alter table model_array alter column tiles set storage external")


def downgrade() -> None:
    op.drop_column("model_array", "tiles")
