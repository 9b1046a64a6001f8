"""Flow in the tank: pumps, their jets, and the flow at each place. All of it is an estimate and is shown as one."""
