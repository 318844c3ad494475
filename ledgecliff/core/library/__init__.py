"""The shop's library thing by thing: what several people keep together, and what a job's copies of it differ in."""
