"""Running trials: plain units of one output each, executors that run them, one coordinator."""
