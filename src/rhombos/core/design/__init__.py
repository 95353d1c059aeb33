"""What a designer decides: brief, pins, house rules; the file that holds them, its upgrades; findings and faults of input."""
