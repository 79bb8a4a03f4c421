"""What tests share: scenes, solids, pictures, random trees, models of others."""
