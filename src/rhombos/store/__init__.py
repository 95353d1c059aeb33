"""What is kept: designs with their revisions, and parts. No physics."""
