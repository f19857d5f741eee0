"""What people do at each station."""
