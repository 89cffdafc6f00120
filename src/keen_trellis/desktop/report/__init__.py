"""The Report view: summaries of outcomes, their pictures, and filters for whoever reads them."""
