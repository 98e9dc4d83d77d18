"""A draft of a family from one set-up by hand: what a person did on its pages, held against what was planned.

Pure: exchanges as values and a planned device in, a draft and questions out. The same recording gives the same draft.
"""
