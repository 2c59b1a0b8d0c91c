"""Papers that leave the workshop: the certificate and the handover page, as PDF, HTML, CSV, JSON."""
