"""Every way in which a value becomes one of another kind, and what is said of what it lost.

There is one direction: `written_forms` finds how numbers and dates stand in a text, `text_parsing`
makes values of texts, `conversion` puts a column into another kind and tells what has no value in
it and what was cut; `python_values` begins with what drivers and workbooks give. `kind_changes` and
`merging` say what a choice of kinds does to a whole column, `noticed` is how it is told.
"""
