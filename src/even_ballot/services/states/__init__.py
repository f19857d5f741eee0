"""states"""
