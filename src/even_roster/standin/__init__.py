"""The simulated site: hosts that receive frames and datagrams and answer with bytes. Nothing here touches a network."""
