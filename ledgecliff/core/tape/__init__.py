"""The tapes of scenes, probing and turns: the arithmetic behind what is shown."""
