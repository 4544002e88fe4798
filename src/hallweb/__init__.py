"""High Hall's web application: plans stored, shown and heard."""
