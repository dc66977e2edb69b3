"""Order of work, hours, sessions: from recipes to the days between the order and the delivery."""
