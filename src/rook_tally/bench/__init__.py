"""What the Bench answers: sensors side by side, reference points, what is usual, what happens when,
how a room airs. Questions of the store in, plain values with a sentence out; for desk and commands.
"""
