"""What is read of any text: its words and sentences, numbers, times and dates, its language."""
