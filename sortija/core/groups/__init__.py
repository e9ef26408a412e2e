"""Group customers by measures and categories together; judge, freeze and place."""
