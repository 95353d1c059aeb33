"""What reads a finished sizing and changes nothing: the comparison, the rating, another battery, switches ranked."""
