"""study"""
