"""How the water moves: pumps, the jets that they make, and what flow reaches a place. An estimate, and called one."""
