"""A run: stations, tasks and actions of one machine put in order, compared with its jobs, ticked off and judged."""
