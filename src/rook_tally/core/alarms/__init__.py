"""Watches: when to ring, whom to tell, what to run. What a watch says (`definitions`), which series
it is about (`scope`), how it judges them (`judging`): all at once over kept readings (`backtest`)
or one after another as they come (`stepping`)."""
