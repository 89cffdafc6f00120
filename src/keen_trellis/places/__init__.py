"""Where a trellis can run beside this machine: what is sent there, asked there, and stopped."""
