"""Detail against cost: variants of what is delivered, drawn as a game would and held against the stage."""
