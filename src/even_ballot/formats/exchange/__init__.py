"""exchange"""
