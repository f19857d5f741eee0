"""tables"""
