"""What lies beside the path of every route: each module joins one block to the settled path.

Each has `block` (KEY and TITLE), `Build`, and three verbs: `propose` once the path stands, `settle` into one state for every
point, `report`.
"""
