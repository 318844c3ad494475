"""The plan that a part gets when it comes in: stock, setups, holding, operations and zeros that can be run.

``blanks`` chooses stock by the part's shape and size, ``operations`` what each setup cuts and with which tool,
``holds`` what may hold it and ``zeros`` what may give its zero, each from what is best to what will do; ``making``
takes the first of them that the rules find nothing wrong with, and says in one sentence what could not be made so.
"""
