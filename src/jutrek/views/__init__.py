"""What a library holds, looked at: its captures in columns, narrowed by a sentence."""
