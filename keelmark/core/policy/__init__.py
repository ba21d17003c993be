"""Storage policies: rules, who keeps them, and where they could be kept."""
