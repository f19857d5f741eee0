"""numerics"""
