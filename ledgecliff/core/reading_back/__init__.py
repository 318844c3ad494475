"""Reading back: what is written runs on the simulated control, and must do what the plan says."""
