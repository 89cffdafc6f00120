"""What speaks to a server: addresses, passwords, connections, queries, values as they come.

Reading, delivering and running where the data is all stand on it.
"""
