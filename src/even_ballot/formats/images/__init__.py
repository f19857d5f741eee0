"""images"""
