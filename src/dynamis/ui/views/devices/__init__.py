"""The Devices page: the board, the meter, and the simulated bench."""
