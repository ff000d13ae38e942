"""The Ledger: places down, quantities across, and the picked cell in one honest paragraph."""
