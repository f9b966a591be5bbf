"""Jobs: outlines by which each is started alike, their numbers, and the versions of working files.

What is here reads, decides and tells; what it leads to on the disk is done by `jutrek.transfer`.
"""
