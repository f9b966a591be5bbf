"""The desk: sessions that hold what a face needs, observable and without any interface code."""
