"""Answers that several routes give: what pages show of an aggregate, and the revision that a change is made from."""
