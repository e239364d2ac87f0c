"""The stations whose view is not the stage: Pack, Budget, Proof."""
