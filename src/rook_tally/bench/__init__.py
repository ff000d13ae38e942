"""Answer the Bench's questions from the store, for the window and the commands.

Each answer is plain values with a sentence: two sensors side by side, reference points, what is
usual, what happens when, how a room airs.
"""
