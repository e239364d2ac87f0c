"""What an effect costs on a device: profiles, the roofline model, the ledger."""
