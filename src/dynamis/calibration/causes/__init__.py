"""What readings show: causes that know time and neighbours, each with its number and its uncertainty."""
