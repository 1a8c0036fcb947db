"""What a surface's stack is made of: nodes added, moved, grouped, set, masked, merged."""
