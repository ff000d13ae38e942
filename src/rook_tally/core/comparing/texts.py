"""The context of translation of this folder's texts."""

from rook_tally.core.i18n import Context

CONTEXT = Context("Comparing")
tr, tr_count = CONTEXT.tr, CONTEXT.tr_count
