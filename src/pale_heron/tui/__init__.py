"""The full-screen application: pure painters that turn snapshots into lines, and thin widgets that show them."""
