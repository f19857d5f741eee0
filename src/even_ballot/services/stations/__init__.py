"""stations"""
