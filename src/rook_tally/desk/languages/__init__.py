"""The texts of the window (`rook_tally.ts`), and compiled translations of them."""
