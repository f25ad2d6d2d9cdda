"""HTTP and WebSocket: create_app assembles thin routers over the operations."""
