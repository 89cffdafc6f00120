"""Where a trellis runs beside this machine: choosing and naming places, what was counted."""
